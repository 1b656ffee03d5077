import { currentDocument, type Bake, type Edit } from "@kinetocache/core";
import { liveQuery } from "dexie";
import PQueue from "p-queue";
import { useCallback, useEffect, useRef, useState, type RefObject } from "react";
import type { LayerChoices } from "../engine/protocol/command";
import { deleteBake, withComplete } from "./bakes";
import { recalledCosts } from "./costs";
import { database, type DocumentHead, type StoredDocument } from "./database";
import {
  changeBeside,
  changed,
  choicesOf,
  documentBeside,
  FIRST_DOCUMENT,
  firstDocument,
  readDocument,
  removeDocument,
  restoreDocument,
  saveDocument,
  type Change,
} from "./documents";
import { engine, send } from "./engineStore";
import { sharedNow } from "../engine/responses";
import { tellPlaces } from "./media";
import { textOf, type Notify } from "./notices";
import { newsOf } from "./otherTabs";
import { forgetPending, notePending } from "./pendingChange";

/** The open composition, and what changes it. */
export interface Session {
  readonly stored: StoredDocument;
  /** As the engine was last told; a newer revision in the database was written by another tab. */
  readonly known: RefObject<StoredDocument>;
  readonly openDocument: (id: string) => Promise<void>;
  /** Opens one that was just added, and so was read already. */
  readonly openStored: (stored: StoredDocument) => Promise<void>;
  /** Removes the open composition and opens another. */
  readonly removeOpen: () => Promise<void>;
  readonly edit: (edit: Edit) => Promise<void>;
  readonly undo: () => Promise<void>;
  readonly redo: () => Promise<void>;
  /** Chooses what holds for single layers, in the preview alone. */
  readonly choose: (change: Partial<LayerChoices>) => Promise<void>;
  readonly changeBakes: (change: (bakes: readonly Bake[]) => readonly Bake[]) => Promise<void>;
}

/** The composition that was open last, with what was measured of it told to the engine. */
export async function lastOpen(): Promise<StoredDocument> {
  const open = (await database.settings.get("openDocument"))?.value as string | undefined;
  const stored = (await readDocument(open ?? FIRST_DOCUMENT)) ?? (await firstDocument());
  if (!stored) throw new Error("The database holds no composition");
  await tellPlaces();
  await recall(stored.id);
  return stored;
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

export function sendOpen(stored: StoredDocument, cause: "open" | Change["kind"]): void {
  const { history, bakes } = stored;
  // When the user asked for it.
  const sinceMs = sharedNow();
  send({ kind: "open", document: currentDocument(history), layers: choicesOf(stored), bakes, cause, sinceMs });
}

/** While a change that is too large to be noted is written. */
const askBeforeLeaving = (event: BeforeUnloadEvent) => event.preventDefault();

/** @param start what the engine has opened already */
export function useSession(start: StoredDocument, notify: Notify): Session {
  const [stored, setStored] = useState(start);
  const known = useRef(start);

  const take = useCallback((next: StoredDocument, cause: "open" | Change["kind"]) => {
    known.current = next;
    sendOpen(next, cause);
    setStored(next);
  }, []);

  useFollowing(stored.id, known, take, notify);

  // Shown at once, and written one after the other.
  const [writes] = useState(() => new PQueue({ concurrency: 1 }));
  // Raised when a change could not be written: those made upon it meanwhile cannot be either.
  const line = useRef(0);
  const change = useCallback(
    async (what: Change) => {
      let next: StoredDocument;
      try {
        next = changed(known.current, what);
      } catch (error) {
        notify(textOf(error));
        return;
      }
      const own = line.current;
      const pending = { document: next.id, revision: next.revision, change: what };
      const isNoted = notePending(pending);
      if (!isNoted) window.addEventListener("beforeunload", askBeforeLeaving);
      take(next, what.kind);
      await writes.add(async () => {
        try {
          if (own === line.current) await saveDocument(next);
        } catch (error) {
          notify(textOf(error));
          const latest = await readDocument(next.id);
          line.current++;
          if (latest && known.current.id === next.id) take(latest, "edit");
        } finally {
          if (isNoted) forgetPending(pending);
          else window.removeEventListener("beforeunload", askBeforeLeaving);
        }
      });
    },
    [writes, notify, take],
  );
  const edit = useCallback((edit: Edit) => change({ kind: "edit", edit }), [change]);
  const undo = useCallback(() => change({ kind: "undo" }), [change]);
  const redo = useCallback(() => change({ kind: "redo" }), [change]);

  const openStored = useCallback(
    async (other: StoredDocument) => {
      await database.settings.put({ key: "openDocument", value: other.id });
      await recall(other.id);
      take(other, "open");
    },
    [take],
  );
  const openDocument = useCallback(
    async (id: string) => {
      // It may have been changed a moment ago.
      await writes.onIdle();
      const other = await readDocument(id);
      if (other) await openStored(other);
      else notify("This composition no longer exists.");
    },
    [writes, notify, openStored],
  );

  const removeOpen = useCallback(async () => {
    const failed = (error: unknown) => notify(textOf(error));
    try {
      const { id } = known.current;
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

  const changeAside = useCallback(
    async (what: Parameters<typeof changeBeside>[1], tell: (stored: StoredDocument) => void) => {
      try {
        const { layers, bakes } = await changeBeside(known.current.id, what);
        // The document itself may be newer in another tab; that arrives by itself.
        const next = { ...known.current, layers, bakes };
        known.current = next;
        tell(next);
        setStored(next);
      } catch (error) {
        notify(textOf(error));
      }
    },
    [notify],
  );
  const choose = useCallback(
    (layers: Partial<LayerChoices>) =>
      changeAside(
        (before) => ({ layers: { ...before.layers, ...layers } }),
        (next) => send({ kind: "layers", layers: choicesOf(next) }),
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
  useBaked(changeBakes, notify);

  return { stored, known, openDocument, openStored, removeOpen, edit, undo, redo, choose, changeBakes };
}

/** What another tab does to the open composition happens here too. */
function useFollowing(
  id: string,
  known: Session["known"],
  take: (stored: StoredDocument, cause: "open" | "edit") => void,
  notify: Notify,
): void {
  useEffect(() => {
    const follow = async (head: DocumentHead | undefined) => {
      const shown = known.current;
      const news = newsOf(shown, id, head);
      if (news === "newer") {
        const stored = await readDocument(id);
        // An edit made here meanwhile ends in a conflict, and shows what is stored.
        if (stored && newsOf(known.current, id, stored) === "newer") take(stored, "edit");
      }
      if (news !== "removed") return;
      const other = await firstDocument();
      if (!other) return;
      await recall(other.id);
      notify(`${shown.name} was removed in another tab.`);
      take(other, "open");
    };
    const watch = liveQuery(() => database.documents.get(id)).subscribe((head) => void follow(head));
    return () => watch.unsubscribe();
  }, [id, known, take, notify]);
}

/** Bakes that the engine has finished take the place of those before them. */
function useBaked(changeBakes: Session["changeBakes"], notify: Notify): void {
  useEffect(
    () =>
      engine.subscribe((event) => {
        if (event.kind !== "baked") return;
        const finish = async () => {
          let gone: Bake | undefined;
          await changeBakes((bakes) => {
            const next = withComplete(bakes, event.bake);
            gone = next.gone;
            return next.bakes;
          });
          if (gone) await deleteBake(gone);
        };
        finish().catch((error: unknown) => notify(`The bake before stays on disk: ${String(error)}`));
      }),
    [changeBakes, notify],
  );
}
