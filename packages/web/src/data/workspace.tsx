import {
  canRedo,
  canUndo,
  currentDocument,
  documentKey,
  mainComposition,
  type Bake,
  type Composition,
  type Document,
  type Edit,
} from "@kinetocache/core";
import { liveQuery } from "dexie";
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import type { LayerChoices, PreviewSettings } from "../engine/protocol/command";
import type { MeasuredTake } from "../engine/protocol/event";
import { inForce } from "../engine/tradeOffs";
import { database, type StoredDocument, type StoredTake } from "./database";
import {
  addDemo,
  changeBeside,
  changeDocument,
  documentBeside,
  FIRST_DOCUMENT,
  removeDocument,
  restoreDocument,
  type Change,
} from "./documents";
import { deleteBake, withComplete } from "./bakes";
import { keepCosts, recalledCosts } from "./costs";
import { DEMO } from "./demo";
import { engine, send } from "./engineStore";
import { useNotices, type Notice } from "./notices";
import { newsOf } from "./otherTabs";
import { afterTake, repetitionOf, type Repetition } from "./repetition";
import { readDisturbances } from "./server";
import { loadSettings, saveSettings } from "./settings";
import { keepTake } from "./takeKeeping";
import { keepFormats, keepTrial, measuredForms, useTrial } from "./trials";

interface Workspace {
  readonly stored: StoredDocument;
  readonly document: Document;
  readonly composition: Composition;
  /** As they act; full quality while the trade-offs are switched off. */
  readonly settings: PreviewSettings;
  /** As they were chosen. */
  readonly chosen: PreviewSettings;
  readonly layers: LayerChoices;
  readonly bakes: readonly Bake[];
  readonly canUndo: boolean;
  readonly canRedo: boolean;
  readonly notices: readonly Notice[];
  readonly openDocument: (id: string) => Promise<void>;
  /** Removes the open composition and opens another. */
  readonly removeOpen: () => Promise<void>;
  readonly edit: (edit: Edit) => Promise<void>;
  readonly undo: () => Promise<void>;
  readonly redo: () => Promise<void>;
  /** Chooses what holds for single layers, in the preview alone. */
  readonly choose: (change: Partial<LayerChoices>) => Promise<void>;
  readonly changeBakes: (change: (bakes: readonly Bake[]) => readonly Bake[]) => Promise<void>;
  /** Measures a take again, under its settings, several times. @throws Error when that cannot be */
  readonly repeatTake: (take: StoredTake, times: number) => Promise<void>;
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

/** The engine learns what was measured before it opens a composition: nothing is then measured for a first guess. */
async function recall(document: string): Promise<void> {
  try {
    const record = await recalledCosts(document);
    if (record) send({ kind: "recall", record });
  } catch (error) {
    // The composition opens all the same, and is measured anew.
    console.warn(`What was measured of ${document} could not be read: ${String(error)}`);
  }
}

async function loadStart(): Promise<{ stored: StoredDocument; settings: PreviewSettings }> {
  await addDemo(DEMO);
  const open = (await database.settings.get("openDocument"))?.value as string | undefined;
  const stored =
    (await database.documents.get(open ?? FIRST_DOCUMENT)) ?? (await database.documents.orderBy("id").first());
  if (!stored) throw new Error("The database holds no composition");
  await recall(stored.id);
  return { stored, settings: await loadSettings() };
}

function sendOpen(stored: StoredDocument, cause: "open" | "edit" | "undo" | "redo"): void {
  const { history, layers, bakes } = stored;
  send({ kind: "open", document: currentDocument(history), layers, bakes, cause });
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
  const { notices, notify, dismiss } = useNotices();
  // The revision that the engine was last told of; a newer one in the database was written by another tab.
  const known = useRef<StoredDocument>(undefined);
  const latestSettings = useRef<PreviewSettings>(undefined);
  const measuring = useRef(false);
  const repeating = useRef<Repetition>(undefined);
  const endRepeating = useRef<() => void>(() => undefined);
  const takeMeasured = useRef<(take: MeasuredTake) => Promise<void>>(() => Promise.resolve());

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

  const trials = useTrial("formatTrial");
  useEffect(() => {
    if (!state) return;
    const { fraction } = inForce(state.settings);
    const { depth } = currentDocument(state.stored.history);
    send({ kind: "storeAs", forms: measuredForms(trials, state.stored.id, { fraction, depth }) });
  }, [state, trials]);

  const changeAside = useCallback(
    async (what: Parameters<typeof changeBeside>[1], tell: (stored: StoredDocument) => void) => {
      try {
        const stored = await changeBeside(known.current!.id, what);
        // The document itself may be newer in another tab; that arrives by itself.
        const next = { ...known.current!, layers: stored.layers, bakes: stored.bakes };
        known.current = next;
        tell(next);
        setState((before) => before && { ...before, stored: next });
      } catch (error) {
        notify(error instanceof Error ? error.message : String(error));
      }
    },
    [notify],
  );

  const choose = useCallback(
    (layers: Partial<LayerChoices>) =>
      changeAside(
        (before) => ({ layers: { ...before.layers, ...layers } }),
        (next) => send({ kind: "layers", layers: next.layers }),
      ),
    [changeAside],
  );

  const changeBakes = useCallback(
    (bakes: (before: readonly Bake[]) => readonly Bake[]) =>
      changeAside(
        (before) => ({ bakes: bakes(before.bakes) }),
        (next) => send({ kind: "bakes", bakes: next.bakes }),
      ),
    [changeAside],
  );

  const takeBake = useCallback(
    async (complete: Bake) => {
      let gone: Bake | undefined;
      await changeBakes((bakes) => {
        const next = withComplete(bakes, complete);
        gone = next.gone;
        return next.bakes;
      });
      if (gone)
        await deleteBake(gone).catch((error: unknown) => notify(`The bake before stays on disk: ${String(error)}`));
    },
    [changeBakes, notify],
  );

  useEffect(
    () =>
      engine.subscribe((event) => {
        const lost = (error: unknown) => notify(`What was measured could not be stored: ${String(error)}`);
        if (event.kind === "notice") notify(event.text);
        if (event.kind === "takeStopped") {
          notify(
            event.changed
              ? "The take ended early: what it was of, or a setting, has changed. It is not kept."
              : "The take was stopped before its end and is not kept.",
          );
          endRepeating.current();
        }
        if (event.kind === "status" && event.status.measuringTake !== measuring.current) {
          measuring.current = event.status.measuringTake;
          // What was swapped before the take is not the take's; where it cannot be read, keepTake finds out too.
          if (measuring.current) void readDisturbances().catch(() => undefined);
        }
        if (event.kind === "baked") void takeBake(event.bake);
        if (event.kind === "graphicsTrial") {
          const { fraction, parallel } = inForce(latestSettings.current!);
          void keepTrial("graphicsTrial", known.current!, { fraction, parallel, results: event.results }).catch(lost);
        }
        if (event.kind === "formatTrial") {
          const open = known.current!;
          const { fraction } = inForce(latestSettings.current!);
          void keepFormats(open, { fraction, depth: currentDocument(open.history).depth }, event.results).catch(lost);
        }
        if (event.kind === "costs") void keepCosts(event.record).catch(lost);
        if (event.kind === "parallelCurve")
          void keepTrial("parallelTrial", known.current!, { points: event.points }).catch(lost);
        if (event.kind === "take") void takeMeasured.current(event.take);
      }),
    [notify, takeBake],
  );

  const openId = state?.stored.id;
  useEffect(() => {
    if (!openId) return;
    const follow = async (stored: StoredDocument | undefined) => {
      const shown = known.current;
      const news = newsOf(shown, openId, stored);
      if (news === "newer") take(stored!, "edit");
      if (news !== "removed") return;
      const other = await database.documents.orderBy("id").first();
      if (!other) return;
      await recall(other.id);
      notify(`${shown!.name} was removed in another tab.`);
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
      await recall(id);
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

  const repeatTake = useCallback(
    async (take: StoredTake, times: number) => {
      const stored = await database.documents.get(take.document.id);
      if (!stored) throw new Error(`${take.document.name} is not there any more.`);
      if (known.current?.id !== stored.id) await openDocument(stored.id);
      if (documentKey(currentDocument(stored.history)) !== take.document.state)
        throw new Error(`${take.document.name} was edited since: undo to the state of the take first.`);
      const { solo, effectsOff } = known.current!.layers;
      const run = repetitionOf(take, times, { settings: latestSettings.current!, layers: { solo, effectsOff } });
      changeSettings(take.settings);
      if (take.layers) await choose({ solo: take.layers.solo, effectsOff: take.layers.effectsOff });
      send({ kind: "range", range: take.range });
      repeating.current = run;
      send({ kind: "measureTake", emptied: run.emptied });
    },
    [openDocument, changeSettings, choose],
  );

  useEffect(() => {
    takeMeasured.current = async (take) => {
      const run = repeating.current;
      try {
        await keepTake(take, run?.of);
      } catch (error) {
        notify(`The take could not be stored: ${String(error)}`);
      }
      if (!run) return;
      // Stopped while it was being kept.
      if (repeating.current !== run) return;
      const next = afterTake(run);
      if (next) {
        repeating.current = next;
        send({ kind: "measureTake", emptied: next.emptied });
      } else endRepeating.current();
    };
    endRepeating.current = () => {
      const run = repeating.current;
      repeating.current = undefined;
      if (!run) return;
      changeSettings(run.before.settings);
      void choose(run.before.layers);
    };
  }, [notify, changeSettings, choose]);

  const workspace = useMemo((): Workspace | undefined => {
    if (!state) return undefined;
    const document = currentDocument(state.stored.history);
    return {
      ...state,
      settings: inForce(state.settings),
      chosen: state.settings,
      layers: state.stored.layers,
      bakes: state.stored.bakes,
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
      choose,
      changeBakes,
      repeatTake,
      changeSettings,
      notify,
      dismiss,
    };
  }, [
    repeatTake,
    state,
    notices,
    openDocument,
    removeOpen,
    edit,
    change,
    choose,
    changeBakes,
    changeSettings,
    notify,
    dismiss,
  ]);

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
