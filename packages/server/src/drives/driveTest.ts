import { randomBytes, randomFillSync } from "node:crypto";
import { constants } from "node:fs";
import { access, type FileHandle } from "node:fs/promises";
import { KEPT_FREE, type DriveTest } from "@kinetocache/core";
import { Folder } from "../files/folder";
import { Problem } from "../http/problem";
import { isRunning } from "../machine/processes";
import type { Medium } from "./medium";

const PREFIX = ".kinetocache-drive-test-";
const TEST_FILE = /^\d+\.bin$/;
const LEFTOVER = /^\.kinetocache-drive-test-(\d+)-\w{6}$/;
// Direct reads want memory and lengths that are multiples of the drive's blocks.
const BLOCK = 4096;

export interface TestPlan {
  readonly mount: string;
  readonly folder: string;
  readonly frames: number;
  readonly frameBytes: number;
  readonly medium: Medium;
}

/** @throws Problem 403 when the folder cannot be written, 507 when the last gigabyte would be touched */
async function checkFolder({ folder, frames, frameBytes, medium }: TestPlan): Promise<void> {
  await access(folder, constants.W_OK).catch(() => {
    throw new Problem(403, "not-writable", `${folder} cannot be written; choose a folder of yours on this drive`);
  });
  if ((await medium.freeBytes(folder)) - frames * frameBytes < KEPT_FREE)
    throw new Problem(507, "drive-full", `${folder} has too little room: the last gigabyte of a drive is left alone`);
}

/**
 * Writes frame-sized files into a folder of its own inside `folder`, reads them back, and removes them, whatever
 * happens.
 * @param onProgress share that is done, 0 to 1
 * @param signal ends it early
 * @throws Problem; the signal's reason when it was ended
 */
export async function testDrive(
  plan: TestPlan,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<DriveTest> {
  await checkFolder(plan);
  return Folder.with(plan.folder, async (folder) => {
    removeLeftoversIn(folder);
    const name = `${PREFIX}${process.pid}-${randomBytes(3).toString("hex")}`;
    folder.makeFolder(name);
    const place = folder.enter(name);
    try {
      return await testIn(place, plan, onProgress, signal);
    } finally {
      place.close();
      removeTest(folder, name);
    }
  });
}

async function testIn(
  place: Folder,
  asked: TestPlan,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<DriveTest> {
  const { mount, frames, frameBytes, medium } = asked;
  const plan = { ...asked, place };
  let written = 0;
  const leave = medium.occupy(() => written);
  try {
    const files = Array.from({ length: frames }, (_, frame) => `${frame}.bin`);
    const part = (from: number) => (share: number) => onProgress(from + share / 3);
    const writeMs = await writeAll(plan, files, signal, (share) => {
      written = share * frames * frameBytes;
      part(0)(share);
    });
    const { readMs, direct } = await readAll(plan, files, signal, part(1 / 3));
    // The first half of the files plays the part of the media.
    const half = Math.floor(frames / 2);
    const media = readOver(plan, files.slice(0, half), signal);
    const withMedia = await readAll(plan, files.slice(half), signal, part(2 / 3)).finally(() => media.end());
    const rate = (ms: readonly number[]) => (ms.length * frameBytes * 1000) / ms.reduce((sum, one) => sum + one, 0);
    const frameMs = [...readMs].sort((a, b) => a - b)[half]!;
    const rates = { writeRate: rate(writeMs), readRate: rate(readMs), frameMs, direct };
    return { mount, atMs: Date.now(), frames, frameBytes, ...rates, readWithMediaRate: rate(withMedia.readMs) };
  } finally {
    // Its files go.
    written = 0;
    leave();
  }
}

/** A test with the folder for its files. */
type RunningTest = TestPlan & { readonly place: Folder };

/** Reads files over and over, as playing media does, until it is ended. */
function readOver(plan: RunningTest, files: readonly string[], signal: AbortSignal): { end: () => Promise<void> } {
  const ended = new AbortController();
  const either = AbortSignal.any([ended.signal, signal]);
  const reading = (async () => {
    while (!either.aborted) await readAll(plan, files, either, () => undefined);
  })();
  // What ends it is no failure; anything else is one of the test.
  const settled = reading.catch((error: unknown) => {
    if (!either.aborted) throw error;
  });
  // It is reported where the test ends, not as nobody's.
  settled.catch(() => undefined);
  return {
    end() {
      ended.abort();
      return settled;
    },
  };
}

/** Removes what a server left in a folder that was killed during a test; one that runs is left alone. */
export function removeLeftovers(folder: string): Promise<void> {
  return Folder.with(folder, removeLeftoversIn);
}

function removeLeftoversIn(folder: Folder): void {
  for (const name of folder.names()) {
    const owner = LEFTOVER.exec(name)?.[1];
    if (owner === undefined || isRunning(Number(owner))) continue;
    try {
      removeTest(folder, name);
    } catch (error) {
      console.warn(`${folder.path}/${name} was left as it is: ${(error as Error).message}`);
    }
  }
}

/** Removes the files of a test and its folder; with anything else in it, it stays. */
function removeTest(folder: Folder, name: string): void {
  const place = folder.enter(name);
  try {
    for (const one of place.names()) if (TEST_FILE.test(one)) place.remove(one);
  } finally {
    place.close();
  }
  folder.removeFolder(name);
}

async function writeAll(
  { frameBytes, medium, place }: RunningTest,
  files: readonly string[],
  signal: AbortSignal,
  onProgress: (share: number) => void,
): Promise<number[]> {
  // Noise, so that a drive that packs what it gets is not measured by its packing.
  const content = randomFillSync(Buffer.allocUnsafe(frameBytes));
  const took: number[] = [];
  for (const [index, file] of files.entries()) {
    signal.throwIfAborted();
    content.writeUInt32LE(index, 0);
    const start = performance.now();
    await medium.transfer("write", frameBytes, async () => {
      const handle = await place.createFile(file);
      try {
        await handle.writeFile(content);
        await handle.datasync();
      } finally {
        await handle.close();
      }
    });
    took.push(performance.now() - start);
    onProgress((index + 1) / files.length);
  }
  return took;
}

async function readAll(
  { frameBytes, medium, place }: RunningTest,
  files: readonly string[],
  signal: AbortSignal,
  onProgress: (share: number) => void,
): Promise<{ readonly readMs: number[]; readonly direct: boolean }> {
  const memory = Buffer.from(new ArrayBuffer(Math.ceil(frameBytes / BLOCK) * BLOCK + BLOCK));
  const target = await directTarget(place, files[0]!, memory);
  const flags = target ? constants.O_DIRECT : 0;
  const readMs: number[] = [];
  for (const [index, file] of files.entries()) {
    signal.throwIfAborted();
    const start = performance.now();
    await medium.transfer("read", frameBytes, async () => {
      const handle = await place.openFile(file, flags);
      try {
        await readWhole(handle, target ?? memory, frameBytes);
      } finally {
        await handle.close();
      }
    });
    readMs.push(performance.now() - start);
    onProgress((index + 1) / files.length);
  }
  return { readMs, direct: target !== undefined };
}

async function readWhole(handle: FileHandle, target: Buffer, bytes: number): Promise<void> {
  let done = 0;
  while (done < bytes) {
    const { bytesRead } = await handle.read(
      target,
      done,
      target.length - done - ((target.length - done) % BLOCK),
      done,
    );
    if (bytesRead === 0) throw new Problem(500, "short-read", "A test file was shorter than it was written");
    done += bytesRead;
  }
}

/**
 * The part of `memory` that direct reads accept: its address cannot be asked for, so that it is tried.
 * @returns undefined where the system or the file system reads nothing directly
 */
async function directTarget(place: Folder, file: string, memory: Buffer): Promise<Buffer | undefined> {
  if (!constants.O_DIRECT) return undefined;
  const handle = await place.openFile(file, constants.O_DIRECT).catch(() => undefined);
  if (!handle) return undefined;
  try {
    // Memory from the allocator lies at a multiple of 16.
    for (let offset = 0; offset < BLOCK; offset += 16) {
      const target = memory.subarray(offset, memory.length - BLOCK + offset);
      const isAccepted = await handle.read(target, 0, BLOCK, 0).then(
        () => true,
        (error: NodeJS.ErrnoException) => {
          if (error.code === "EINVAL") return false;
          throw error;
        },
      );
      if (isAccepted) return target;
    }
    return undefined;
  } finally {
    await handle.close();
  }
}
