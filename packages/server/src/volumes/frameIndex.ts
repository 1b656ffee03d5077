import { setImmediate as breathe } from "node:timers/promises";
import type { Bytes, ContentKey } from "@kinetocache/core";
import type { Folder } from "../files/folder";
import type { Place } from "../files/place";
import { allocatedBytes, nameOf, parseName } from "./frameFile";
import { decodeIndex, encodeIndex, type SavedOwner } from "./savedIndex";
import type { StoredFrame } from "./storedFrame";

const FRAMES = "frames";
const INDEX = "index.bin";
const LARGEST_INDEX = 2 ** 30;
// Files that are looked at before others get a turn.
const SLICE = 2000;

/**
 * What a folder of frames holds, and how many bytes that takes. It is kept in a file between runs; a folder that
 * changed since, or all of them where the file is lost, are read again: the names say all but size and time.
 */
export class FrameIndex {
  private readonly frames = new Map<ContentKey, StoredFrame>();
  private total: Bytes = 0;
  /** Raised whenever a frame comes, goes or is used. */
  changes = 0;

  /** @param place of the volume: frames lie in `frames/<owner>/<name>` below it */
  static open(place: Place): Promise<FrameIndex> {
    return place.use(async (root) => {
      const index = new FrameIndex();
      const saved = new Map(readSaved(root).map((one) => [one.owner, one]));
      // From here on the folders are newer than the file.
      root.remove(INDEX);
      const frames = root.enter(FRAMES);
      try {
        // Links are not followed: they lead out of the folder.
        for (const entry of frames.entries())
          if (entry.isDirectory()) await index.openOwner(frames, entry.name, saved.get(entry.name));
      } finally {
        frames.close();
      }
      return index;
    });
  }

  private async openOwner(frames: Folder, owner: string, known: SavedOwner | undefined): Promise<void> {
    let folder: Folder;
    try {
      folder = frames.enter(owner);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "EXDEV") throw error;
      console.warn(`Frames of ${owner} are left out: ${(error as Error).message}`);
      return;
    }
    try {
      if (known && folder.changedMs === known.changedMs) for (const frame of known.frames) this.add(frame);
      else await this.scan(folder, owner);
    } finally {
      folder.close();
    }
  }

  private async scan(folder: Folder, owner: string): Promise<void> {
    let seen = 0;
    for (const entry of folder.entries()) {
      const frame = entry.isFile() ? parseName(entry.name) : undefined;
      if (!frame) continue;
      // A look takes some microseconds at once, and ten times that by way of another thread.
      const found = folder.stat(entry.name);
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
    this.changes++;
  }

  use(frame: StoredFrame, nowMs: number): void {
    frame.lastUsedMs = nowMs;
    this.changes++;
  }

  forget(frame: StoredFrame): void {
    if (!this.frames.delete(frame.key)) return;
    this.total -= allocatedBytes(frame.size);
    this.changes++;
  }

  /** Keeps the index for the next run; nothing may change afterwards. */
  async save(place: Place): Promise<void> {
    const owners = new Map<string, StoredFrame[]>();
    for (const frame of this.frames.values()) {
      const own = owners.get(frame.owner);
      if (own) own.push(frame);
      else owners.set(frame.owner, [frame]);
    }
    await place.use((root) => {
      const saved = [...owners].map(([owner, frames]) => summary(root, owner, frames));
      root.replace(INDEX, [encodeIndex(saved)]);
    });
  }
}

function summary(root: Folder, owner: string, frames: readonly StoredFrame[]): SavedOwner {
  const folder = root.enter(`${FRAMES}/${owner}`);
  try {
    const { changedMs } = folder;
    // What was removed behind our back would be listed for ever.
    const there = new Set(folder.names());
    return { owner, changedMs, frames: frames.filter((frame) => there.has(nameOf(frame))) };
  } finally {
    folder.close();
  }
}

/** The saved index; nothing where there is none, or it is not what was saved. */
function readSaved(root: Folder): readonly SavedOwner[] {
  try {
    return decodeIndex(root.read(INDEX, LARGEST_INDEX));
  } catch (error) {
    // What is no file of ours is not read; it is in the way, and goes.
    if (["ENOENT", "ELOOP", "EINVAL", "EFBIG"].includes((error as NodeJS.ErrnoException).code ?? "")) return [];
    throw error;
  }
}
