import { createHash } from "node:crypto";
import { fsyncSync, readSync, writeSync } from "node:fs";
import type { FileHandle } from "node:fs/promises";
import type { Bytes, Milliseconds } from "@kinetocache/core";
import type { JobControl } from "../jobs/jobs";

/** What is in a file. */
export interface Digest {
  /** As hexadecimal digits. */
  readonly sha256: string;
  readonly bytes: Bytes;
}

export interface DigestWish {
  /** Descriptor of the file, at its start. */
  readonly from: number;
  /** Of a file that all is written to, and synced. */
  readonly to?: number;
  /** Of a `Reading`. */
  readonly state: SharedArrayBuffer;
}

/** A file that is read in a thread, as it and whoever asked for it see it. */
class Reading {
  static readonly LENGTH = 16;
  private readonly wish: Int32Array;
  private readonly done: Float64Array;

  constructor(shared: SharedArrayBuffer) {
    this.wish = new Int32Array(shared, 0, 1);
    this.done = new Float64Array(shared, 8, 1);
  }

  /** Bytes that were read so far. */
  get bytes(): Bytes {
    return this.done[0]!;
  }

  set bytes(bytes: Bytes) {
    this.done[0] = bytes;
  }

  ask(wish: keyof typeof WISHES): void {
    Atomics.store(this.wish, 0, WISHES[wish]);
    Atomics.notify(this.wish, 0);
  }

  /** Waits as long as that is wished. @returns whether it is to end */
  isToEnd(): boolean {
    while (Atomics.load(this.wish, 0) === WISHES.wait) Atomics.wait(this.wish, 0, WISHES.wait);
    return Atomics.load(this.wish, 0) === WISHES.end;
  }
}

const WISHES = { "go on": 0, wait: 1, end: 2 } as const;
const PIECE_BYTES = 2 ** 20;

/** Reads a file to its end, and works out its checksum. @returns undefined when it was to end before */
export function digestOf({ from, to, state }: DigestWish): Digest | undefined {
  const hash = createHash("sha256");
  const piece = Buffer.allocUnsafe(PIECE_BYTES);
  const stands = new Reading(state);
  for (;;) {
    if (stands.isToEnd()) return undefined;
    const read = piece.subarray(0, readSync(from, piece));
    if (read.length === 0) break;
    hash.update(read);
    if (to !== undefined) writeAll(to, read);
    stands.bytes += read.length;
  }
  if (to !== undefined) fsyncSync(to);
  return { sha256: hash.digest("hex"), bytes: stands.bytes };
}

/** A write takes less than it was given where a drive becomes full, and fails the next time. */
function writeAll(file: number, bytes: Uint8Array): void {
  for (let at = 0; at < bytes.length;) at += writeSync(file, bytes, at);
}

const LOOK_MS: Milliseconds = 100;

/** Whoever has a thread for it. */
interface DigestThreads {
  run(task: "digestOf", wish: DigestWish): Promise<Digest | undefined>;
}

export interface Copying {
  /** Is closed afterwards. */
  readonly from: FileHandle;
  /** Takes all that is read, and is closed afterwards. */
  readonly to?: FileHandle;
  readonly onBytes?: (bytes: Bytes) => void;
}

/**
 * Reads a file in a thread, for a job: it waits while that is paused, and ends when it is cancelled, in the middle of the
 * file too.
 * @throws Error when it is no file; what `gate` throws
 */
export async function digestFor(
  { signal, isPaused }: Pick<JobControl, "signal" | "isPaused">,
  workers: DigestThreads,
  { from, to, onBytes }: Copying,
): Promise<Digest> {
  const state = new SharedArrayBuffer(Reading.LENGTH);
  const reading = new Reading(state);
  const look = () => {
    reading.ask(signal.aborted ? "end" : isPaused() ? "wait" : "go on");
    onBytes?.(reading.bytes);
  };
  const looks = setInterval(look, LOOK_MS);
  signal.addEventListener("abort", look);
  try {
    if (!(await from.stat()).isFile()) throw new Error("It is no file");
    look();
    // The thread is asked to end, and not just ended: the numbers of its files would stand for others by then.
    const digest = await workers.run("digestOf", { from: from.fd, state, ...(to ? { to: to.fd } : {}) });
    if (digest) return digest;
    throw signal.reason;
  } finally {
    signal.removeEventListener("abort", look);
    clearInterval(looks);
    await Promise.all([from.close(), to?.close()]);
  }
}
