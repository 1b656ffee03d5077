import { framesPerSecond, type Depth, type Rate } from "../composition";
import { scaledSize } from "../drawing";
import { BYTES_A_PIXEL } from "../render";

export type Bytes = number;

/** What the server reads from the machine. */
export interface MachineFigures {
  readonly installedBytes: Bytes;
  /** Memory that could be given out without swapping. */
  readonly availableBytes: Bytes;
  readonly swapUsedBytes: Bytes;
  readonly cores: number;
  readonly processor: string;
  readonly system: string;
}

/** What the cache spends on a frame beside its pixels: the key, the entry and the buffer's own record. */
export const BOOKKEEPING_BYTES: Bytes = 512;

/** Bytes of one cached frame: ⌈w·s⌉ · ⌈h·s⌉ · 4 · bytes per channel. */
export function frameBytes(
  size: { readonly width: number; readonly height: number },
  fraction: number,
  depth: Depth,
): Bytes {
  return scaledSize(size.width, fraction) * scaledSize(size.height, fraction) * BYTES_A_PIXEL[depth];
}

/** Whole frames that a cache of `budgetBytes` holds. */
export function framesThatFit(budgetBytes: Bytes, bytesAFrame: Bytes): number {
  return Math.floor(budgetBytes / (bytesAFrame + BOOKKEEPING_BYTES));
}

/** Seconds of playback in a number of frames. */
export function secondsHeld(frames: number, rate: Rate): number {
  return frames / framesPerSecond(rate);
}

const GIB = 2 ** 30;

/** Memory that should stay free, or the system starts to swap: 10 % of what is installed, at least 2 GiB. */
export function keptFreeBytes(installedBytes: Bytes): Bytes {
  return Math.max(0.1 * installedBytes, 2 * GIB);
}

/**
 * Most that the cache may be given: what is available now plus what the cache already holds, less what must
 * stay free and the working buffers. Never negative.
 */
export function largestBudget(machine: MachineFigures, heldBytes: Bytes, workingBytes: Bytes): Bytes {
  const most = machine.availableBytes + heldBytes - keptFreeBytes(machine.installedBytes) - workingBytes;
  return Math.max(0, Math.floor(most));
}

export interface PlayheadWindow {
  readonly before: number;
  readonly after: number;
}

/** Least that lets the cache hold a number of frames. */
export function smallestBudgetOf(frames: number, bytesAFrame: Bytes): Bytes {
  return frames * (bytesAFrame + BOOKKEEPING_BYTES);
}

/** Least that lets the cache hold the window around the playhead. */
export function smallestBudget(window: PlayheadWindow, bytesAFrame: Bytes): Bytes {
  return smallestBudgetOf(window.before + 1 + window.after, bytesAFrame);
}

/** Bytes per second that playing from disk needs: stored bytes of a frame · rate. */
export function requiredReadBack(storedBytesAFrame: Bytes, rate: Rate): number {
  return storedBytesAFrame * framesPerSecond(rate);
}
