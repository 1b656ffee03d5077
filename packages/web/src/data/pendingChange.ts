import { changed, readDocument, saveDocument, type Change } from "./documents";

const KEY = "pendingChanges";

/** A change that is on show while it is written. */
interface PendingChange {
  readonly document: string;
  /** That the document has with it. */
  readonly revision: number;
  readonly change: Change;
}

type TabStorage = Pick<Storage, "getItem" | "setItem" | "removeItem">;

const noted = (storage: TabStorage) => JSON.parse(storage.getItem(KEY) ?? "[]") as readonly PendingChange[];

/**
 * Notes a change at once, so that a reload before it is written does not lose it; each tab notes its own.
 * @returns false where it cannot be noted, as one that is too large for the tab's storage
 */
export function notePending(pending: PendingChange, storage: TabStorage = sessionStorage): boolean {
  try {
    storage.setItem(KEY, JSON.stringify([...noted(storage), pending]));
    return true;
  } catch {
    return false;
  }
}

/** The change was written, or refused. */
export function forgetPending(
  { document, revision }: Pick<PendingChange, "document" | "revision">,
  storage: TabStorage = sessionStorage,
): void {
  const left = noted(storage).filter((one) => one.document !== document || one.revision !== revision);
  if (left.length > 0) storage.setItem(KEY, JSON.stringify(left));
  else storage.removeItem(KEY);
}

/**
 * Writes the changes that a reload came before, in their order, unless they were written after all or the document went
 * on without them.
 * @throws Error when one cannot be made; those are not tried again then
 */
export async function finishPending(storage: TabStorage = sessionStorage): Promise<void> {
  try {
    for (const { document, revision, change } of noted(storage)) {
      const stored = await readDocument(document);
      if (stored?.revision === revision - 1) await saveDocument(changed(stored, change));
    }
  } finally {
    // Not before: another reload may come meanwhile.
    storage.removeItem(KEY);
  }
}
