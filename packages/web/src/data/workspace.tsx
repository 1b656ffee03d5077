import {
  canRedo,
  canUndo,
  currentDocument,
  mainComposition,
  troublesOf,
  type Composition,
  type Document,
  type Edit,
} from "@kinetocache/core";
import { liveQuery } from "dexie";
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import type { MeasuredTake, PreviewSettings } from "../engine/protocol";
import { database, type StoredDocument } from "./database";
import {
  addDemo,
  changeDocument,
  documentBeside,
  FIRST_DOCUMENT,
  removeDocument,
  restoreDocument,
  type Change,
} from "./documents";
import { engine, send } from "./engineStore";
import { readDisturbances } from "./server";
import { loadSettings, saveSettings } from "./settings";
import { keepFormats, keepTrial } from "./trials";

export interface Notice {
  readonly id: number;
  readonly text: string;
  /** What can be done about it. */
  readonly action?: { readonly label: string; readonly run: () => void };
}

interface Workspace {
  readonly stored: StoredDocument;
  readonly document: Document;
  readonly composition: Composition;
  readonly settings: PreviewSettings;
  readonly canUndo: boolean;
  readonly canRedo: boolean;
  readonly notices: readonly Notice[];
  readonly openDocument: (id: string) => Promise<void>;
  /** Removes the open composition and opens another. */
  readonly removeOpen: () => Promise<void>;
  readonly edit: (edit: Edit) => Promise<void>;
  readonly undo: () => Promise<void>;
  readonly redo: () => Promise<void>;
  readonly changeSettings: (change: Partial<PreviewSettings>) => void;
  readonly notify: (text: string, action?: Notice["action"]) => void;
  readonly dismiss: (id: number) => void;
}

const Context = createContext<Workspace | undefined>(undefined);

/** The open composition, the preview settings, and what can be done with both. */
export function useWorkspace(): Workspace {
  const workspace = useContext(Context);
  if (!workspace) throw new Error("useWorkspace is for components inside the workspace");
  return workspace;
}

async function loadStart(): Promise<{ stored: StoredDocument; settings: PreviewSettings }> {
  await addDemo();
  const open = (await database.settings.get("openDocument"))?.value as string | undefined;
  const stored =
    (await database.documents.get(open ?? FIRST_DOCUMENT)) ?? (await database.documents.orderBy("id").first());
  if (!stored) throw new Error("The database holds no composition");
  return { stored, settings: await loadSettings() };
}

/** Stores a take with what slowed the machine down meanwhile. */
async function keepTake(take: MeasuredTake): Promise<void> {
  // Without the server nobody can tell; the take is kept all the same.
  const troubles = await readDisturbances().then(
    (disturbance) => troublesOf(disturbance),
    () => undefined,
  );
  const fault = take.graphicsFault === undefined ? [] : [`${take.graphicsFault}. The processor rendered instead.`];
  await database.takes.add({
    ...take,
    disturbances: troubles || fault.length > 0 ? [...(troubles ?? []), ...fault] : undefined,
  });
}

function sendOpen(stored: StoredDocument, cause: "open" | "edit" | "undo" | "redo"): void {
  send({ kind: "open", document: currentDocument(stored.history), cause });
}

export function WorkspaceProvider({
  children,
  waiting,
}: {
  readonly children: ReactNode;
  readonly waiting: ReactNode;
}) {
  const [state, setState] = useState<{ stored: StoredDocument; settings: PreviewSettings }>();
  const [failure, setFailure] = useState<Error>();
  const [notices, setNotices] = useState<readonly Notice[]>([]);
  const nextNotice = useRef(1);
  // The revision that the engine was last told of; a newer one in the database was written by another tab.
  const known = useRef<StoredDocument>(undefined);
  const latestSettings = useRef<PreviewSettings>(undefined);
  const measuring = useRef(false);

  const notify = useCallback((text: string, action?: Notice["action"]) => {
    setNotices((before) => [
      ...before.filter((notice) => notice.text !== text).slice(-3),
      { id: nextNotice.current++, text, action },
    ]);
  }, []);
  const dismiss = useCallback((id: number) => setNotices((before) => before.filter((notice) => notice.id !== id)), []);

  const take = useCallback((stored: StoredDocument, cause: "open" | "edit" | "undo" | "redo") => {
    known.current = stored;
    sendOpen(stored, cause);
    setState((before) => before && { ...before, stored });
  }, []);

  useEffect(() => {
    let active = true;
    loadStart().then(
      (start) => {
        if (!active) return;
        known.current = start.stored;
        latestSettings.current = start.settings;
        send({ kind: "configure", settings: start.settings });
        sendOpen(start.stored, "open");
        setState(start);
      },
      (error: unknown) => setFailure(error instanceof Error ? error : new Error(String(error))),
    );
    return () => {
      active = false;
    };
  }, []);

  useEffect(
    () =>
      engine.subscribe((event) => {
        const lost = (error: unknown) => notify(`What was measured could not be stored: ${String(error)}`);
        if (event.kind === "notice") notify(event.text);
        if (event.kind === "status" && event.status.measuringTake !== measuring.current) {
          measuring.current = event.status.measuringTake;
          // What was swapped before the take is not the take's; where it cannot be read, keepTake finds out too.
          if (measuring.current) void readDisturbances().catch(() => undefined);
        }
        if (event.kind === "graphicsTrial") {
          const { fraction, parallel } = latestSettings.current!;
          void keepTrial("graphicsTrial", known.current!.name, { fraction, parallel, results: event.results }).catch(
            lost,
          );
        }
        if (event.kind === "formatTrial")
          void keepFormats(known.current!.name, latestSettings.current!.fraction, event.results).catch(lost);
        if (event.kind === "parallelCurve")
          void keepTrial("parallelTrial", known.current!.name, { points: event.points }).catch(lost);
        if (event.kind === "take")
          void keepTake(event.take).catch((error: unknown) => notify(`The take could not be stored: ${String(error)}`));
      }),
    [notify],
  );

  const openId = state?.stored.id;
  useEffect(() => {
    if (!openId) return;
    const follow = async (stored: StoredDocument | undefined) => {
      const shown = known.current;
      if (shown?.id !== openId) return;
      if (stored && stored.revision > shown.revision) take(stored, "edit");
      if (stored) return;
      const other = await database.documents.orderBy("id").first();
      if (!other) return;
      notify(`${shown.name} was removed in another tab.`);
      take(other, "open");
    };
    const watch = liveQuery(() => database.documents.get(openId)).subscribe((stored) => void follow(stored));
    return () => watch.unsubscribe();
  }, [openId, take, notify]);

  const change = useCallback(
    async (what: Change) => {
      const { id, revision } = known.current!;
      try {
        take(await changeDocument(id, revision, what), what.kind);
      } catch (error) {
        const latest = await database.documents.get(id);
        if (latest) take(latest, "edit");
        notify(error instanceof Error ? error.message : String(error));
      }
    },
    [notify, take],
  );

  const edit = useCallback((edit: Edit) => change({ kind: "edit", edit }), [change]);

  const openDocument = useCallback(
    async (id: string) => {
      const stored = await database.documents.get(id);
      if (!stored) {
        notify("This composition is not there any more.");
        return;
      }
      await database.settings.put({ key: "openDocument", value: id });
      take(stored, "open");
    },
    [notify, take],
  );

  const removeOpen = useCallback(async () => {
    const failed = (error: unknown) => notify(error instanceof Error ? error.message : String(error));
    try {
      const { id } = known.current!;
      // Another one is open first, so that this tab does not take the removal for that of another tab.
      await openDocument((await documentBeside(id)).id);
      const removed = await removeDocument(id);
      send({ kind: "removed", document: id });
      const bringBack = async () => {
        await restoreDocument(removed);
        await openDocument(id);
      };
      notify(`${removed.name} was removed. Its cached frames stay on disk until they are swept.`, {
        label: "Bring back",
        run: () => void bringBack().catch(failed),
      });
    } catch (error) {
      failed(error);
    }
  }, [notify, openDocument]);

  const changeSettings = useCallback(
    (settings: Partial<PreviewSettings>) => {
      const next = { ...latestSettings.current!, ...settings };
      latestSettings.current = next;
      send({ kind: "configure", settings: next });
      saveSettings(next).catch((error: unknown) => notify(`The settings could not be stored: ${String(error)}`));
      setState((before) => before && { ...before, settings: next });
    },
    [notify],
  );

  const workspace = useMemo((): Workspace | undefined => {
    if (!state) return undefined;
    const document = currentDocument(state.stored.history);
    return {
      ...state,
      document,
      composition: mainComposition(document),
      canUndo: canUndo(state.stored.history),
      canRedo: canRedo(state.stored.history),
      notices,
      openDocument,
      removeOpen,
      edit,
      undo: () => change({ kind: "undo" }),
      redo: () => change({ kind: "redo" }),
      changeSettings,
      notify,
      dismiss,
    };
  }, [state, notices, openDocument, removeOpen, edit, change, changeSettings, notify, dismiss]);

  if (failure) {
    return (
      <main className="failure">
        <h1>The compositions could not be read</h1>
        <p>{failure.message}</p>
        <p>The browser may have no space left for this page, or may refuse it storage. Nothing was changed.</p>
      </main>
    );
  }
  return workspace ? <Context value={workspace}>{children}</Context> : waiting;
}
