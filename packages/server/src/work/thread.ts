import { readlinkSync } from "node:fs";
import { constants, setPriority } from "node:os";
import path from "node:path";
import { move, transferableSymbol, valueSymbol } from "piscina";
import * as tasks from "./tasks";

// Entry of a thread. Requests are answered before what has time: with as many threads as processors, they would wait for
// each other.
try {
  setPriority(Number(path.basename(readlinkSync("/proc/thread-self"))), constants.priority.PRIORITY_LOW);
} catch {
  // Only Linux knows threads by number.
}

/** Without the rest of the buffer that they were made in. */
const alone = (bytes: Uint8Array) => (bytes.byteLength === bytes.buffer.byteLength ? bytes : bytes.slice());

/** What was made goes back without a copy of its bytes. */
export function exportedFrame(stored: tasks.StoredPicture): unknown {
  const made = tasks.exportedFrame(stored);
  if (!made) return undefined;
  const content = alone(made.content);
  return move({ [transferableSymbol]: [content.buffer], [valueSymbol]: { ...made, content } });
}

export const pngToFrame = (file: Uint8Array): unknown => move(alone(tasks.pngToFrame(file)));
export const { isPicture, digestOf } = tasks;
