import { ITEM_KINDS, isSafePath, type BatchHead, type HeldItem } from "@kinetocache/core";
import Joi from "joi";
import type { Folder } from "../files/folder";

export interface BatchContent extends BatchHead {
  readonly items: readonly HeldItem[];
}

/** A batch as its list says. */
export interface ReadBatch extends BatchHead {
  /** By line; a line that cannot be used is left out. */
  readonly items: ReadonlyMap<number, HeldItem>;
}

// Earlier releases did not count the lines.
const headSchema = Joi.object<BatchHead & { format: string; version: number; items?: number }>({
  format: Joi.string().valid("kinetocache-batch").required(),
  version: Joi.number().valid(1).required(),
  id: Joi.string().required(),
  sweptMs: Joi.number().required(),
  by: Joi.string().required(),
  items: Joi.number().integer().min(0),
});

const LINES_A_WRITE = 5000;
const LARGEST_LIST = 2 ** 30;

/**
 * Writes the list of a batch, one line of JSON an item under a line that says what it is. It is written and synced
 * before the first item moves, and never changed: what is in the batch is what lies beside it under its line's number.
 * @throws Error when the drive has no room for it; then nothing is left of it
 */
export function writeBatch(folder: Folder, name: string, { items, ...head }: BatchContent): void {
  folder.replace(name, linesOf());

  function* linesOf() {
    yield `${JSON.stringify({ format: "kinetocache-batch", version: 1, ...head, items: items.length })}\n`;
    for (let at = 0; at < items.length; at += LINES_A_WRITE)
      yield items
        .slice(at, at + LINES_A_WRITE)
        .map((item) => `${JSON.stringify(item)}\n`)
        .join("");
  }
}

/** @throws Error that says what is wrong with its first line; other lines that cannot be used are left out */
export function readBatch(folder: Folder, name: string): ReadBatch {
  const [first = "", ...lines] = folder.read(name, LARGEST_LIST).toString().split("\n");
  const { id, sweptMs, by } = Joi.attempt(JSON.parse(first), headSchema) as BatchHead;
  const items = new Map<number, HeldItem>();
  for (const [number, line] of lines.entries()) {
    const item = itemOf(line);
    if (item) items.set(number, item);
  }
  return { id, sweptMs, by, items };
}

/** Checked by hand: there are hundreds of thousands of them. */
function itemOf(line: string): HeldItem | undefined {
  try {
    const item = JSON.parse(line) as HeldItem;
    const isItem = typeof item.path === "string" && isSafePath(item.path) && ITEM_KINDS.includes(item.kind);
    const isCounted = [item.bytes, item.files].every((count) => Number.isFinite(count) && count >= 0);
    return isItem && isCounted ? item : undefined;
  } catch {
    return undefined;
  }
}
