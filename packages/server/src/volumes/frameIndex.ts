import { lstatSync, readdirSync } from "node:fs";
import { lstat, readdir, readFile, rename, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { setImmediate as breathe } from "node:timers/promises";
import type { Bytes, ContentKey } from "@kinetocache/core";
import { allocatedBytes, nameOf, parseName, type FrameName } from "./frameFile";

/** A frame that a volume holds. */
export interface StoredFrame extends FrameName {
  readonly owner: string;
  readonly size: Bytes;
  lastUsedMs: number;
}

// Files that are looked at before others get a turn.
const SLICE = 2000;

/** The index as it is kept between runs. */
interface SavedOwner {
  readonly owner: string;
  /** Changes with every file that is added to the folder, renamed or removed. */
  readonly changedMs: number;
  readonly names: readonly string[];
  readonly sizes: readonly Bytes[];
  readonly lastUsedMs: readonly number[];
}

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
      if (known && (await changedMs(path.join(folder, entry.name))) === known.changedMs) index.adopt(known);
      else await index.scan(entry.name);
    }
    return index;
  }

  private adopt({ owner, names, sizes, lastUsedMs }: SavedOwner): void {
    for (let i = 0; i < names.length; i++) {
      const frame = parseName(names[i]!);
      if (frame) this.add({ ...frame, owner, size: sizes[i]!, lastUsedMs: lastUsedMs[i]! });
    }
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
    await writeFile(`${this.file}.new`, JSON.stringify(saved), { flush: true });
    await rename(`${this.file}.new`, this.file);
  }

  private async summary(owner: string, frames: readonly StoredFrame[]): Promise<SavedOwner> {
    const folder = path.join(this.folder, owner);
    const changed = await changedMs(folder);
    // What was removed behind our back would be listed for ever.
    const there = new Set(await readdir(folder));
    const kept = frames.filter((frame) => there.has(nameOf(frame)));
    return {
      owner,
      changedMs: changed,
      names: kept.map(nameOf),
      sizes: kept.map(({ size }) => size),
      lastUsedMs: kept.map(({ lastUsedMs }) => lastUsedMs),
    };
  }
}

async function changedMs(folder: string): Promise<number> {
  return (await lstat(folder)).mtimeMs;
}

/** The saved index; nothing where there is none, or it is not what was saved. */
async function readSaved(file: string): Promise<readonly SavedOwner[]> {
  try {
    const saved = JSON.parse(await readFile(file, "utf8")) as unknown;
    return Array.isArray(saved) ? saved.filter(isSaved) : [];
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT" || error instanceof SyntaxError) return [];
    throw error;
  }
}

// A check of every number by a schema would take longer than reading the folders.
function isSaved(value: unknown): value is SavedOwner {
  const { owner, changedMs, names, sizes, lastUsedMs } = (value ?? {}) as Partial<SavedOwner>;
  const areNumbers = (list: unknown) => Array.isArray(list) && list.every((one) => Number.isFinite(one) && one >= 0);
  return (
    typeof owner === "string" &&
    typeof changedMs === "number" &&
    Array.isArray(names) &&
    names.every((name) => typeof name === "string") &&
    areNumbers(sizes) &&
    areNumbers(lastUsedMs) &&
    names.length === sizes!.length &&
    names.length === lastUsedMs!.length
  );
}
