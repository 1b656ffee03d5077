import { setImmediate as breathe } from "node:timers/promises";
import type { ContentKey } from "@kinetocache/core";
import { Problem } from "../http/problem";
import type { Volume } from "./volume";

export interface MoveProgress {
  /** Frames that are at the new place, and how many there are in all. */
  readonly done: number;
  readonly total: number;
  /** Frames that were damaged, and are rendered again when they are wanted. */
  readonly damaged: number;
}

/**
 * Moves all frames of one volume to another, one by one: written there, read back and checked there, and only then
 * removed here. What is there already is checked too. It can be ended at any time and begun again.
 * @param gate awaited before each frame; may hold it up, or throw to end it
 * @throws Problem 507 and the like when the new place takes no more; what was moved stays there
 */
export async function moveFrames(
  from: Volume,
  to: Volume,
  gate: () => Promise<void>,
  onProgress: (progress: MoveProgress) => void,
): Promise<MoveProgress> {
  const keys = from.frames.keys().map(([key]) => key);
  let damaged = 0;
  const progress = (done: number): MoveProgress => ({ done, total: keys.length, damaged });
  for (const [done, key] of keys.entries()) {
    await gate();
    onProgress(progress(done));
    if (!(await moveFrame(from, to, key))) damaged++;
    // Frames for playback go first.
    await breathe();
  }
  onProgress(progress(keys.length));
  return progress(keys.length);
}

/** @returns false when the frame was damaged where it lay */
async function moveFrame(from: Volume, to: Volume, key: ContentKey): Promise<boolean> {
  const frame = from.frames.describe(key);
  // Evicted, cleared or swept meanwhile.
  if (!frame) return true;
  if (!(await isIntact(to, key))) {
    let content: Buffer;
    try {
      ({ content } = await from.read(key));
    } catch (error) {
      if (error instanceof Problem && error.status === 404) return false;
      throw error;
    }
    await to.write(frame, pieces(content));
    if (!(await isIntact(to, key))) throw new Problem(500, "not-verified", `Frame ${key} could not be read back there`);
  }
  await from.frames.remove(key);
  return true;
}

async function* pieces(content: Buffer): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(content);
}

/** Whether a volume holds a frame whole. */
async function isIntact(volume: Volume, key: ContentKey): Promise<boolean> {
  if (!volume.frames.has(key)) return false;
  try {
    await volume.read(key);
    return true;
  } catch (error) {
    if (error instanceof Problem && error.status === 404) return false;
    throw error;
  }
}
