import {
  canRedo,
  canUndo,
  currentDocument,
  mainComposition,
  type Bake,
  type Composition,
  type Document,
} from "@kinetocache/core";
import { createContext, useContext, useEffect, useMemo, useState, type ReactNode } from "react";
import type { LayerChoices, PreviewSettings } from "../engine/protocol/command";
import { inForce } from "../engine/tradeOffs";
import { useChosenSettings, type ChosenSettings } from "./chosenSettings";
import type { StoredDocument } from "./database";
import { DEMO } from "./demo";
import { addDemo, choicesOf } from "./documents";
import { engine, send } from "./engineStore";
import { useToldPlaces } from "./media";
import { useMeasuredTakes, type RepeatTake } from "./measuredTakes";
import { useMeasurements } from "./measurements";
import { textOf, useNotices, type Notices, type Notify } from "./notices";
import { finishPending } from "./pendingChange";
import { lastOpen, sendOpen, useSession, type Session } from "./session";
import { loadSettings } from "./settings";

interface Workspace extends Omit<Session, "known">, Omit<ChosenSettings, "latest">, Notices {
  readonly document: Document;
  readonly composition: Composition;
  /** As they act; full quality while the trade-offs are switched off. */
  readonly settings: PreviewSettings;
  readonly layers: LayerChoices;
  readonly bakes: readonly Bake[];
  readonly canUndo: boolean;
  readonly canRedo: boolean;
  readonly repeatTake: RepeatTake;
}

const Context = createContext<Workspace | undefined>(undefined);

/** The open composition, the preview settings, and what can be done with both. */
export function useWorkspace(): Workspace {
  const workspace = useContext(Context);
  if (!workspace) throw new Error("useWorkspace is for components inside the workspace");
  return workspace;
}

/** What was open last, under the settings of last time. */
interface Start {
  readonly stored: StoredDocument;
  readonly settings: PreviewSettings;
}

async function loadStart(notify: Notify): Promise<Start> {
  await addDemo(DEMO);
  try {
    await finishPending();
  } catch (error) {
    // The composition opens as it was before that change.
    notify(`Your last change before the reload was not kept: ${textOf(error)}`);
  }
  return { stored: await lastOpen(), settings: await loadSettings() };
}

interface ProviderProps {
  readonly children: ReactNode;
  readonly waiting: ReactNode;
}

/** Opens what was open last; the screens follow once it is read, and the engine begins at once. */
export function WorkspaceProvider({ children, waiting }: ProviderProps) {
  const [start, setStart] = useState<Start>();
  const [failure, setFailure] = useState<Error>();
  const messages = useNotices();
  const { notify } = messages;
  useEffect(
    () =>
      engine.subscribe((event) => {
        if (event.kind === "notice") notify(event.text);
      }),
    [notify],
  );
  useEffect(() => {
    let active = true;
    loadStart(notify).then(
      (start) => {
        if (!active) return;
        send({ kind: "configure", settings: start.settings });
        sendOpen(start.stored, "open");
        setStart(start);
      },
      (error: unknown) => setFailure(error instanceof Error ? error : new Error(String(error))),
    );
    return () => {
      active = false;
    };
  }, [notify]);

  if (failure) {
    return (
      <main className="failure">
        <h1>The compositions could not be read</h1>
        <p>{failure.message}</p>
        <p>The browser may have no space left for this page, or may refuse it storage. Nothing was changed.</p>
      </main>
    );
  }
  return start ? <OpenWorkspace {...{ start, messages, children }} /> : waiting;
}

interface OpenProps {
  readonly start: Start;
  readonly messages: Notices;
  readonly children: ReactNode;
}

function OpenWorkspace({ start, messages, children }: OpenProps) {
  const { notices, notify, dismiss } = messages;
  const settings = useChosenSettings(start.settings, notify);
  const session = useSession(start.stored, notify);
  useToldPlaces();
  useMeasurements(session, settings, notify);
  const repeatTake = useMeasuredTakes(session, settings, notify);

  const { stored, openDocument, openStored, removeOpen, edit, undo, redo, choose, changeBakes } = session;
  const { chosen, changeSettings } = settings;
  const workspace = useMemo((): Workspace => {
    const document = currentDocument(stored.history);
    return {
      stored,
      document,
      composition: mainComposition(document),
      settings: inForce(chosen),
      chosen,
      layers: choicesOf(stored),
      bakes: stored.bakes,
      canUndo: canUndo(stored.history),
      canRedo: canRedo(stored.history),
      notices,
      openDocument,
      openStored,
      removeOpen,
      edit,
      undo,
      redo,
      choose,
      changeBakes,
      repeatTake,
      changeSettings,
      notify,
      dismiss,
    };
  }, [
    stored,
    chosen,
    notices,
    openDocument,
    openStored,
    removeOpen,
    edit,
    undo,
    redo,
    choose,
    changeBakes,
    repeatTake,
    changeSettings,
    notify,
    dismiss,
  ]);
  return <Context value={workspace}>{children}</Context>;
}
