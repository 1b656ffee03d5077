import { closeSync, fsyncSync, openSync, readFileSync, renameSync, rmSync, writeSync } from "node:fs";
import { ITEM_KINDS, isSafePath, type BatchHead, type HeldItem } from "@kinetocache/core";
import Joi from "joi";

export interface BatchContent extends BatchHead {
  readonly items: readonly HeldItem[];
}

const headSchema = Joi.object<BatchHead & { format: string; version: number }>({
  format: Joi.string().valid("kinetocache-batch").required(),
  version: Joi.number().valid(1).required(),
  id: Joi.string().required(),
  sweptMs: Joi.number().required(),
  by: Joi.string().required(),
});

const LINES_A_WRITE = 5000;

/**
 * The list of a batch, one line of JSON an item under a line that says what it is. It is written and synced before the
 * first item moves, and never changed: what is in the batch is what lies beside it under its line's number.
 * @throws Error when the drive has no room for it; then nothing is left of it
 */
export function writeBatch(file: string, { items, ...head }: BatchContent): void {
  const temporary = `${file}.new`;
  const open = openSync(temporary, "w");
  try {
    writeSync(open, `${JSON.stringify({ format: "kinetocache-batch", version: 1, ...head })}\n`);
    for (let at = 0; at < items.length; at += LINES_A_WRITE)
      writeWhole(
        open,
        items
          .slice(at, at + LINES_A_WRITE)
          .map((item) => `${JSON.stringify(item)}\n`)
          .join(""),
      );
    fsyncSync(open);
    closeSync(open);
    renameSync(temporary, file);
  } catch (error) {
    closeQuietly(open);
    rmSync(temporary, { force: true });
    throw error;
  }
}

/** A nearly full drive takes a part of what is written. */
function writeWhole(open: number, text: string): void {
  const bytes = Buffer.from(text);
  for (let at = 0; at < bytes.length;) at += writeSync(open, bytes, at);
}

function closeQuietly(open: number): void {
  try {
    closeSync(open);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "EBADF") throw error;
  }
}

/** @throws Error that says what is wrong with it */
export function readBatch(file: string): BatchContent {
  const [first = "", ...lines] = readFileSync(file, "utf8").split("\n");
  const { id, sweptMs, by } = Joi.attempt(JSON.parse(first), headSchema) as BatchHead;
  const items = lines.flatMap((line, index) => {
    if (line === "") return [];
    const item = JSON.parse(line) as HeldItem;
    // Checked by hand: there are hundreds of thousands of them.
    if (typeof item.path !== "string" || !isSafePath(item.path) || !ITEM_KINDS.includes(item.kind))
      throw new Error(`line ${index + 2} names no file below the folder`);
    return [item];
  });
  return { id, sweptMs, by, items };
}
