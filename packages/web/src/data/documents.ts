import {
  commitEdit,
  currentDocument,
  freeId,
  mainComposition,
  redo,
  startHistory,
  undo,
  type Document,
  type Edit,
  type History,
} from "@kinetocache/core";
import { NO_LAYER_CHOICES, type LayerChoices } from "../engine/protocol/command";
import { database, listedOf, type DocumentHead, type StoredDocument } from "./database";

/** The composition that a first start opens. */
export const FIRST_DOCUMENT = "night-roost";

type BesideHistory = Pick<StoredDocument, "layers" | "bakes" | "mark">;

const NOTHING_CHOSEN: BesideHistory = { layers: NO_LAYER_CHOICES, bakes: [] };

function store(
  history: History,
  revision: number,
  { layers, bakes, mark }: BesideHistory = NOTHING_CHOSEN,
): StoredDocument {
  const { id } = currentDocument(history);
  return { id, ...listedOf(history), revision, history, layers, bakes, mark, updatedMs: Date.now() };
}

/** Runs within a transaction over both tables. */
async function write({ history, ...head }: StoredDocument): Promise<void> {
  await Promise.all([database.documents.put(head), database.histories.put({ id: head.id, history })]);
}

/** Work on compositions with their histories that happens as a whole or not at all. */
function onDocuments<T>(mode: "r" | "rw", work: () => Promise<T>): Promise<T> {
  return database.transaction(mode, database.documents, database.histories, work);
}

/** A composition with its history; undefined when it is not there. */
export function readDocument(id: string): Promise<StoredDocument | undefined> {
  return onDocuments("r", async () => {
    const [head, kept] = await Promise.all([database.documents.get(id), database.histories.get(id)]);
    return head && kept && { ...head, history: kept.history };
  });
}

/** The composition that is opened when the one of last time is gone. */
export async function firstDocument(): Promise<StoredDocument | undefined> {
  const head = await database.documents.orderBy("id").first();
  return head && readDocument(head.id);
}

/** All compositions with their histories, which may be megabytes each. */
export function readDocuments(): Promise<StoredDocument[]> {
  return onDocuments("r", async () => {
    const [heads, kept] = await Promise.all([database.documents.toArray(), database.histories.toArray()]);
    const histories = new Map(kept.map(({ id, history }) => [id, history]));
    return heads.map((head) => ({ ...head, history: histories.get(head.id)! }));
  });
}

/**
 * What is chosen for the layers that are there. What was chosen for others stays with the composition: undo, or another
 * variant, may have them again.
 */
export function choicesOf({ history, layers }: Pick<StoredDocument, "history" | "layers">): LayerChoices {
  const there = new Set(mainComposition(currentDocument(history)).layers.map(({ id }) => id));
  const only = (chosen: readonly string[]) => chosen.filter((id) => there.has(id));
  const { solo, effectsOff, marked, pinned } = layers;
  return { solo: only(solo), effectsOff: only(effectsOff), marked: only(marked), pinned: only(pinned) };
}

/** What earlier releases added to an empty database, without keeping a list. */
const FIRST_DEMO = ["night-roost", "ringing-station", "estuary-map"];

/**
 * Adds the demo compositions that were never added here; one that was removed stays away.
 * @param demo loads each by its id; as they ship they are valid @throws Error when one that is missing cannot be loaded
 */
export async function addDemo(demo: Readonly<Record<string, () => Promise<Document>>>): Promise<void> {
  const { documents, histories, settings } = database;
  const missing = async () => {
    const isNew = (await documents.count()) === 0;
    const kept = (await settings.get("demo"))?.value as readonly string[] | undefined;
    const added = new Set([...(kept ?? (isNew ? [] : FIRST_DEMO)), ...(await documents.toCollection().primaryKeys())]);
    return Object.keys(demo).filter((id) => !added.has(id));
  };
  const loaded = await Promise.all((await missing()).map((id) => demo[id]!()));
  await database.transaction("rw", documents, histories, settings, async () => {
    // Another tab may have been faster.
    const still = new Set(await missing());
    const added = loaded.filter(({ id }) => still.has(id));
    await Promise.all(added.map((document) => write(store(startHistory(document), 1))));
    await settings.put({ key: "demo", value: Object.keys(demo) });
  });
}

/** The stored document was changed elsewhere since it was read. */
class Conflict extends Error {
  constructor() {
    super(
      "This composition was changed in another tab; that state is shown now, and what you had just changed here was not kept.",
    );
  }
}

export type Change =
  { readonly kind: "edit"; readonly edit: Edit } | { readonly kind: "undo" } | { readonly kind: "redo" };

function applyChange(history: History, change: Change): History {
  if (change.kind === "edit") return commitEdit(history, change.edit);
  return change.kind === "undo" ? undo(history) : redo(history);
}

/** A stored document after a change, which is not written yet. @throws RangeError when it cannot be made */
export function changed(stored: StoredDocument, change: Change): StoredDocument {
  return store(applyChange(stored.history, change), stored.revision + 1, stored);
}

/** Writes the next revision of a document. @throws Conflict when the one before is not what is stored any more */
export async function saveDocument(next: StoredDocument): Promise<void> {
  await onDocuments("rw", async () => {
    const stored = await database.documents.get(next.id);
    if (!stored || stored.revision !== next.revision - 1) throw new Conflict();
    // What stands beside the history may have been changed since.
    const { layers, bakes, mark } = stored;
    await write({ ...next, layers, bakes, mark });
  });
}

/**
 * Changes what is chosen for layers, the bakes, or the mark for sweeping: none of them is part of the composition or of its undo history.
 * @throws Error when the composition is not there any more
 */
export async function changeBeside(
  id: string,
  change: (before: BesideHistory) => Partial<BesideHistory>,
): Promise<DocumentHead> {
  return database.transaction("rw", database.documents, async () => {
    const stored = await database.documents.get(id);
    if (!stored) throw new Error("This composition no longer exists.");
    const next = { ...stored, ...change(stored) };
    await database.documents.put(next);
    return next;
  });
}

/**
 * Adds a composition from the text of its file under an id that is free.
 * @throws DocumentError with the reasons and places; nothing is stored then
 */
export async function importDocument(text: string): Promise<StoredDocument> {
  const { parseDocumentText } = await import("./documentText");
  return addDocument(parseDocumentText(text));
}

/** Adds a composition under an id that is free. */
export async function addDocument(document: Document): Promise<StoredDocument> {
  return onDocuments("rw", async () => {
    const id = freeId(document.id, new Set(await database.documents.toCollection().primaryKeys()));
    const stored = store(startHistory({ ...document, id }), 1);
    await write(stored);
    return stored;
  });
}

/** A composition beside one. @throws Error when there is no other */
export async function documentBeside(id: string): Promise<DocumentHead> {
  const other = await database.documents.filter((stored) => stored.id !== id).first();
  if (!other) throw new Error("The only composition cannot be removed; import another one first.");
  return other;
}

/**
 * Removes a composition with its undo history; its takes stay.
 * @returns what was removed, with which `restoreDocument` brings it back
 * @throws Error when there is no other
 */
export async function removeDocument(id: string): Promise<StoredDocument> {
  return onDocuments("rw", async () => {
    const removed = await readDocument(id);
    if (!removed) throw new Error("This composition no longer exists.");
    await documentBeside(id);
    await Promise.all([database.documents.delete(id), database.histories.delete(id)]);
    return removed;
  });
}

/** Brings a removed composition back as it was. @throws Error when its id has been taken since */
export async function restoreDocument(removed: StoredDocument): Promise<void> {
  await onDocuments("rw", async () => {
    if (await database.documents.get(removed.id))
      throw new Error(`Another composition has the id of ${removed.name} by now; remove that one first.`);
    await write(removed);
  });
}

/** The text of a composition file. */
export function exportDocument(document: Document): string {
  return `${JSON.stringify(document, null, 1)}\n`;
}
