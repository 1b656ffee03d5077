import path from "node:path";
import type { Bytes, ContentKey, FrameFormat, FrameItem, Milliseconds } from "@kinetocache/core";
import type { Folder } from "../files/folder";
import type { Place } from "../files/place";
import { allocatedBytes, nameOf, parseName } from "./frameFile";
import type { FrameIndex } from "./frameIndex";
import type { StoredFrame } from "./storedFrame";

const FRAMES = "frames";

/** What is written to a volume. */
export interface NewFrame {
  readonly key: ContentKey;
  readonly owner: string;
  readonly format: FrameFormat;
  readonly costMs: Milliseconds;
  readonly size: Bytes;
}

/** The frames of a volume: `frames/<owner>/<name>`. The names hold all that the index needs. */
export class FrameFiles {
  private leaving = 0;

  constructor(
    private readonly place: Place,
    readonly index: FrameIndex,
  ) {}

  /** Another whenever what `items` says is. */
  get changes(): number {
    return this.index.changes;
  }

  /** Bytes taken on the drive; what is leaving takes its space until it is really gone. */
  get takenBytes(): Bytes {
    return this.index.bytes + this.leaving;
  }

  /** Keys of all frames held, each with what rendering it took. */
  keys(): [ContentKey, Milliseconds][] {
    return this.index.all().map(({ key, costMs }) => [key, costMs]);
  }

  has(key: ContentKey): boolean {
    return this.index.has(key);
  }

  /** What a frame was stored with; undefined when it is not held. */
  describe(key: ContentKey): NewFrame | undefined {
    return this.index.get(key);
  }

  items(): FrameItem[] {
    return this.index.all().map(itemOf);
  }

  /** Gives a file its name and its place among the frames. @param root of the volume */
  async take(root: Folder, temporary: Folder, name: string, frame: Omit<StoredFrame, "lastUsedMs">): Promise<void> {
    const folder = root.makeWay([FRAMES, frame.owner]);
    try {
      await temporary.moved(name, folder, nameOf(frame));
      this.index.add({ ...frame, costMs: Math.round(frame.costMs), lastUsedMs: Date.now() });
    } finally {
      folder.close();
    }
  }

  /** Frames that are held, each with its path below `frames/`; other keys are left out. */
  filesOf(keys: readonly ContentKey[]): (FrameItem & { readonly path: string })[] {
    return keys.flatMap((key) => {
      const frame = this.index.get(key);
      return frame ? [{ ...itemOf(frame), path: `${frame.owner}/${nameOf(frame)}` }] : [];
    });
  }

  /** Notes that a file below `frames/` was moved away. */
  noteGone(relative: string): void {
    const name = parseName(path.basename(relative));
    const frame = name && this.index.get(name.key);
    if (frame) this.index.forget(frame);
  }

  /** Notes that a file was moved to its place below `frames/`. */
  async noteBack(relative: string): Promise<void> {
    const name = parseName(path.basename(relative));
    if (!name || this.index.has(name.key)) return;
    const owner = path.dirname(relative);
    const { size, mtimeMs } = await this.inFolder(owner, (folder) => folder.stats(path.basename(relative)));
    this.index.add({ ...name, owner, size, lastUsedMs: mtimeMs });
  }

  /** Works in the folder of one owner's frames. */
  inFolder<T>(owner: string, work: (folder: Folder) => Promise<T>): Promise<T> {
    return this.place.use(async (root) => {
      const folder = root.enter(`${FRAMES}/${owner}`);
      try {
        return await work(folder);
      } finally {
        folder.close();
      }
    });
  }

  /** Removes a frame. */
  async remove(key: ContentKey): Promise<void> {
    const frame = this.index.get(key);
    if (frame) await this.discard(frame);
  }

  private discard(frame: StoredFrame): Promise<void> {
    return this.discardAll(frame.owner, [frame]);
  }

  /** Removes frames of one owner; what cannot be removed is still held. @throws Error where none of them can */
  async discardAll(owner: string, frames: readonly StoredFrame[]): Promise<void> {
    const bytes = frames.reduce((sum, { size }) => sum + allocatedBytes(size), 0);
    for (const frame of frames) this.index.forget(frame);
    // They take their space until they are really gone.
    this.leaving += bytes;
    const faults = await this.inFolder(owner, (folder) =>
      Promise.all(frames.map((frame) => faultOf(folder.removed(nameOf(frame))))),
    ).catch((error: NodeJS.ErrnoException) => frames.map(() => error));
    this.leaving -= bytes;
    // What is not there is gone, and what a link leads to is not ours, and stays.
    const kept = frames.filter((_, at) => faults[at] !== undefined && !isGone(faults[at]));
    for (const frame of kept) this.index.add(frame);
    if (kept.length === frames.length && kept.length > 0) throw faults[0]!;
  }

  async clear(): Promise<void> {
    for (const frame of this.index.all()) await this.discard(frame);
  }
}

/** What went wrong; undefined when nothing did. */
function faultOf(work: Promise<unknown>): Promise<NodeJS.ErrnoException | undefined> {
  return work.then(
    () => undefined,
    (error: NodeJS.ErrnoException) => error,
  );
}

/** Whether there is nothing to remove, or what is there is not ours. */
const isGone = ({ code }: NodeJS.ErrnoException) => code === "ENOENT" || code === "ENOTDIR" || code === "EISDIR";

function itemOf({ key, owner, size, lastUsedMs, costMs }: StoredFrame): FrameItem {
  return { key, owner, bytes: allocatedBytes(size), lastUsedMs, costMs };
}
