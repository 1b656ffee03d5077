import { lstatSync, readdirSync } from "node:fs";
import { lstat, readdir, readFile, rename, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { setImmediate as breathe } from "node:timers/promises";
import type { Bytes, ContentKey } from "@kinetocache/core";
import { allocatedBytes, nameOf, parseName, type FrameName } from "./frameFile";
import { decodeIndex, encodeIndex, type SavedOwner } from "./savedIndex";

/** A frame that a volume holds. */
export interface StoredFrame extends FrameName {
  readonly owner: string;
  readonly size: Bytes;
  lastUsedMs: number;
}

// Files that are looked at before others get a turn.
const SLICE = 2000;

/**
 * What a folder of frames holds, and how many bytes that takes. It is kept in a file between runs; a folder that
 * changed since, or all of them where the file is lost, are read again: the names say all but size and time.
 */
export class FrameIndex {
  private readonly frames = new Map<ContentKey, StoredFrame>();
  private total: Bytes = 0;

  private constructor(
    private readonly folder: string,
    private readonly file: string,
  ) {}

  /** @param folder of the frames, `<owner>/<name>` in it @param file that keeps the index */
  static async open(folder: string, file: string): Promise<FrameIndex> {
    const index = new FrameIndex(folder, file);
    const saved = new Map((await readSaved(file)).map((one) => [one.owner, one]));
    // From here on the folders are newer than the file.
    await rm(file, { force: true });
    for (const entry of readdirSync(folder, { withFileTypes: true })) {
      // Links are not followed: they lead out of the folder.
      if (!entry.isDirectory()) continue;
      const known = saved.get(entry.name);
      if (known && (await changedMs(path.join(folder, entry.name))) === known.changedMs)
        for (const frame of known.frames) index.add(frame);
      else await index.scan(entry.name);
    }
    return index;
  }

  private async scan(owner: string): Promise<void> {
    let seen = 0;
    for (const entry of readdirSync(path.join(this.folder, owner), { withFileTypes: true })) {
      const frame = entry.isFile() ? parseName(entry.name) : undefined;
      if (!frame) continue;
      // A look takes some microseconds at once, and ten times that by way of another thread.
      const found = lstatSync(path.join(this.folder, owner, entry.name), { throwIfNoEntry: false });
      if (found) this.add({ ...frame, owner, size: found.size, lastUsedMs: found.mtimeMs });
      if (++seen % SLICE === 0) await breathe();
    }
  }

  get size(): number {
    return this.frames.size;
  }

  /** Bytes that all of them take on the drive. */
  get bytes(): Bytes {
    return this.total;
  }

  has(key: ContentKey): boolean {
    return this.frames.has(key);
  }

  get(key: ContentKey): StoredFrame | undefined {
    return this.frames.get(key);
  }

  all(): StoredFrame[] {
    return [...this.frames.values()];
  }

  /** Of two files with one key the first counts. */
  add(frame: StoredFrame): void {
    if (this.frames.has(frame.key)) return;
    this.frames.set(frame.key, frame);
    this.total += allocatedBytes(frame.size);
  }

  forget(frame: StoredFrame): void {
    if (this.frames.delete(frame.key)) this.total -= allocatedBytes(frame.size);
  }

  /** Keeps the index for the next run; nothing may change afterwards. */
  async save(): Promise<void> {
    const owners = new Map<string, StoredFrame[]>();
    for (const frame of this.frames.values()) {
      const own = owners.get(frame.owner);
      if (own) own.push(frame);
      else owners.set(frame.owner, [frame]);
    }
    const saved: SavedOwner[] = [];
    for (const [owner, frames] of owners) saved.push(await this.summary(owner, frames));
    await writeFile(`${this.file}.new`, encodeIndex(saved), { flush: true });
    await rename(`${this.file}.new`, this.file);
  }

  private async summary(owner: string, frames: readonly StoredFrame[]): Promise<SavedOwner> {
    const folder = path.join(this.folder, owner);
    const changed = await changedMs(folder);
    // What was removed behind our back would be listed for ever.
    const there = new Set(await readdir(folder));
    return { owner, changedMs: changed, frames: frames.filter((frame) => there.has(nameOf(frame))) };
  }
}

async function changedMs(folder: string): Promise<number> {
  return (await lstat(folder)).mtimeMs;
}

/** The saved index; nothing where there is none, or it is not what was saved. */
async function readSaved(file: string): Promise<readonly SavedOwner[]> {
  try {
    return decodeIndex(await readFile(file));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return [];
    throw error;
  }
}
