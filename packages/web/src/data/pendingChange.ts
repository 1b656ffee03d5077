import { changed, readDocument, saveDocument, type Change } from "./documents";

const KEY = "pendingChange";

/** A change that is on show while it is written. */
interface PendingChange {
  readonly document: string;
  /** That the document has with it. */
  readonly revision: number;
  readonly change: Change;
}

type TabStorage = Pick<Storage, "getItem" | "setItem" | "removeItem">;

/**
 * Notes a change at once, so that a reload before it is written does not lose it; each tab notes its own.
 * @returns false where it cannot be noted, as one that is too large for the tab's storage
 */
export function notePending(pending: PendingChange, storage: TabStorage = sessionStorage): boolean {
  try {
    storage.setItem(KEY, JSON.stringify(pending));
    return true;
  } catch {
    return false;
  }
}

/** The change was written, or refused. */
export function forgetPending(storage: TabStorage = sessionStorage): void {
  storage.removeItem(KEY);
}

/**
 * Writes the change that a reload came before, unless it was written after all or the document went on without it.
 * @throws Error when it cannot be made; it is not tried again then
 */
export async function finishPending(storage: TabStorage = sessionStorage): Promise<void> {
  const noted = storage.getItem(KEY);
  if (noted === null) return;
  try {
    const { document, revision, change } = JSON.parse(noted) as PendingChange;
    const stored = await readDocument(document);
    if (stored?.revision === revision - 1) await saveDocument(changed(stored, change));
  } finally {
    // Not before: another reload may come meanwhile.
    forgetPending(storage);
  }
}
