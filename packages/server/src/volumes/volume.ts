import path from "node:path";
import { crc32 } from "node:zlib";
import {
  DEFAULT_LOCATION_SETTINGS,
  isSampleDue,
  KEPT_FREE,
  locationSettingsSchema,
  RECENT_MS,
  withSample,
  type Bytes,
  type ContentKey,
  type FillSample,
  type FrameFormat,
  type FrameItem,
  type LocationSettings,
  type Milliseconds,
} from "@kinetocache/core";
import Joi from "joi";
import PQueue from "p-queue";
import { REAL_MEDIUM, type Medium } from "../drives/medium";
import { holdsFolders, type Folder } from "../files/folder";
import { JsonFile, makeDataFolder } from "../files/jsonFile";
import { Place } from "../files/place";
import { Problem } from "../http/problem";
import { allocatedBytes, nameOf, parseName } from "./frameFile";
import { EvictionQueue, ORDERS } from "./evictionQueue";
import { FrameIndex } from "./frameIndex";
import type { StoredFrame } from "./storedFrame";
import { Ownership } from "./ownership";

export interface VolumeState extends LocationSettings {
  readonly path: string;
  readonly frames: number;
  readonly bytes: Bytes;
  readonly holdingBytes: Bytes;
  /** What of that a lower cap had no room for: it does not count against the cap. */
  readonly beyondCapBytes: Bytes;
  /** Stored sequences, baked or brought in. */
  readonly sequenceBytes: Bytes;
  /** Free bytes of the drive. */
  readonly freeBytes: Bytes;
  /** How it filled up lately, oldest first. */
  readonly growth: readonly FillSample[];
}

export interface VolumeOptions {
  /** Free bytes of the drive below which nothing more is stored. */
  readonly keptFree?: Bytes;
  readonly medium?: Medium;
  /** Called when another process has taken the volume, or it is gone with its drive. */
  readonly onLost?: (error: Error) => void;
}

// Chunks of a request are gathered up to this size before they are written.
const WRITE_BYTES = 4 * 2 ** 20;

const SETTINGS = { format: "kinetocache-location-settings", version: 1 } as const;
const GROWTH = { format: "kinetocache-growth", version: 1 } as const;
// Settings of earlier releases said whether frames are packed.
type KnownSettings = Partial<LocationSettings> & { readonly packed?: boolean };
const settingsSchema = Joi.object<KnownSettings>({ packed: Joi.boolean() }).concat(locationSettingsSchema);
const growthSchema = Joi.array<readonly FillSample[]>().items(
  Joi.object({ atMs: Joi.number().required(), bytes: Joi.number().min(0).required() }),
);

/** What a lower cap takes. */
export interface OverCap {
  readonly frames: number;
  readonly bytes: Bytes;
  /** Whether it can wait in holding; for good otherwise. */
  readonly isHeld: boolean;
}

/** What may become of frames that a lower cap has no room for. */
export interface Consent {
  readonly mayHold?: boolean | undefined;
  /** They may also wait in holding then. */
  readonly mayRemove?: boolean | undefined;
}

/** A frame as it is read. */
export interface ReadFrame extends Pick<StoredFrame, "format" | "owner" | "costMs"> {
  readonly content: Buffer;
}

/** What is written to the volume. */
export interface NewFrame {
  readonly key: ContentKey;
  readonly owner: string;
  readonly format: FrameFormat;
  readonly costMs: Milliseconds;
  readonly size: Bytes;
}

/**
 * A folder of cached frames: `frames/<owner>/<name>`. The names hold all that the index needs, so it is
 * rebuilt from the folder where it is lost. Bytes never exceed the cap, what is being written included.
 */
export class Volume {
  private reservedBytes = 0;
  private leavingBytes = 0;
  /** Room is made for one after the other: two at once would both count what the other removes. */
  private readonly making = new PQueue({ concurrency: 1 });
  /** Frames that are being given their names: of several writers of one frame only the first does that. */
  private readonly naming = new Set<ContentKey>();
  private serial = 0;
  /** Set by the holding area, whose files count against the cap, but for those that it had no room for. */
  holding: { readonly bytes: Bytes; readonly beyondCapBytes: Bytes } = { bytes: 0, beyondCapBytes: 0 };
  /** Set by the stored sequences, which count against the cap and are never removed by its rule. */
  sequenceBytes: () => Bytes = () => 0;

  private readonly leave: () => void;
  private readonly evictions: EvictionQueue;

  private constructor(
    /** The folder, by its path without links. */
    readonly root: string,
    readonly place: Place,
    private readonly ownership: Ownership,
    private readonly index: FrameIndex,
    private readonly settingsFile: JsonFile<KnownSettings>,
    private readonly growth: JsonFile<readonly FillSample[]>,
    private readonly keptFree: Bytes,
    private readonly medium: Medium,
  ) {
    this.leave = medium.occupy(() => this.takenBytes());
    this.evictions = new EvictionQueue(index);
  }

  /**
   * Opens or creates the volume in a folder.
   * @throws Error when another process has it open
   */
  static async open(
    root: string,
    { keptFree = KEPT_FREE, medium = REAL_MEDIUM, onLost }: VolumeOptions = {},
  ): Promise<Volume> {
    await makeDataFolder(root);
    const place = new Place(root);
    const ownership = await Ownership.take(place, onLost);
    try {
      await place.use(prepare);
      const index = await FrameIndex.open(place);
      const settings = await JsonFile.open<KnownSettings>(
        path.join(root, "settings.json"),
        SETTINGS,
        settingsSchema,
        {},
      );
      const growth = await JsonFile.open(path.join(root, "growth.json"), GROWTH, growthSchema, []);
      const volume = new Volume(root, place, ownership, index, settings, growth, keptFree, medium);
      // It was to be cleared when it was closed; a crash came first.
      if (volume.settings.clearOnClose) await volume.clear();
      return volume;
    } catch (error) {
      await ownership.giveUp();
      throw error;
    }
  }

  async close(): Promise<void> {
    if (this.settings.clearOnClose) await this.clear();
    await this.leaveAsItIs();
  }

  /** Lets it go without clearing it: of a drive that does not answer nothing is removed. */
  async leaveAsItIs(): Promise<void> {
    this.leave();
    // Whoever has it now keeps an index of their own.
    if (!this.ownership.isLost) await this.saveIndex();
    await this.ownership.giveUp();
    this.place.letGo();
  }

  private async saveIndex(): Promise<void> {
    await this.index.save(this.place).catch((error: NodeJS.ErrnoException) => {
      // A drive that was removed takes nothing any more; its index is rebuilt when it is back.
      if (error.code !== "ENOENT") console.warn(`${this.root}: ${String(error)}`);
    });
  }

  private async clear(): Promise<void> {
    for (const frame of this.index.all()) await this.discard(frame);
  }

  private get settings(): LocationSettings {
    const { packed, ...settings } = this.settingsFile.value;
    const packing = packed ? { packing: "packed" as const } : {};
    return { ...DEFAULT_LOCATION_SETTINGS, ...packing, ...settings };
  }

  get bytes(): Bytes {
    return this.index.bytes;
  }

  /** Another whenever what `items` says is. */
  get changes(): number {
    return this.index.changes;
  }

  /** @throws Error when the folder is gone, with its drive or by itself */
  async state(): Promise<VolumeState> {
    await this.place.use((root) => root.enter(FRAMES).close());
    return {
      ...this.settings,
      path: this.root,
      frames: this.index.size,
      bytes: this.bytes,
      holdingBytes: this.holding.bytes,
      beyondCapBytes: this.holding.beyondCapBytes,
      sequenceBytes: this.sequenceBytes(),
      freeBytes: await this.medium.freeBytes(this.root),
      growth: await this.sampleGrowth(),
    };
  }

  private async sampleGrowth(): Promise<readonly FillSample[]> {
    const sample = { atMs: Date.now(), bytes: this.index.bytes };
    if (isSampleDue(this.growth.value, sample.atMs))
      await this.growth
        .replace(withSample(this.growth.value, sample))
        // A full or read-only drive does not take it; the forecast is the only loss.
        .catch((error: unknown) => console.warn(`${this.root}: ${String(error)}`));
    return this.growth.value;
  }

  /** Frames that a cap has no room for, in the order in which they go. */
  private overCap(capBytes: Bytes): StoredFrame[] {
    let over = this.takenBytes() - capBytes;
    if (over <= 0) return [];
    const frames = this.index.all().sort(ORDERS[this.settings.rule]);
    const end = frames.findIndex(({ size }) => (over -= allocatedBytes(size)) <= 0);
    return end < 0 ? frames : frames.slice(0, end + 1);
  }

  /** What a cap would take. */
  async takenBy(capBytes: Bytes): Promise<OverCap> {
    return this.takenWith(this.overCap(capBytes));
  }

  private async takenWith(frames: readonly StoredFrame[]): Promise<OverCap> {
    const bytes = frames.reduce((sum, { size }) => sum + allocatedBytes(size), 0);
    return { frames: frames.length, bytes, isHeld: holdsFolders() && (await this.hasSpare()) };
  }

  /** Whether the drive has more free than is left to the system. */
  private async hasSpare(): Promise<boolean> {
    return (await this.medium.freeBytes(this.root)) >= this.keptFree;
  }

  /** Whether so much more is below the cap. */
  hasRoomFor(bytes: Bytes): boolean {
    return this.takenBytes() + allocatedBytes(bytes) <= this.settings.capBytes;
  }

  /**
   * Changes settings.
   * @param giveUp takes frames that a lower cap has no room for, before it is set
   * @param may where they may go: to holding alone, or for good as well
   * @throws Problem 400 for a cap that is larger than the drive, 409 for one that takes what may not go
   */
  async change(
    settings: Partial<LocationSettings>,
    giveUp?: (keys: readonly ContentKey[], over: OverCap) => Promise<void>,
    may: Consent = {},
  ): Promise<void> {
    const next = { ...this.settings, ...settings };
    if (settings.capBytes !== undefined) await this.checkCap(settings.capBytes);
    if (next.capBytes < this.sequenceBytes() + this.countedHolding && this.sequenceBytes() > 0) {
      throw new Problem(
        409,
        "sequences-too-large",
        "Baked and imported sequences, with holding, are larger than that cap; remove some, or set a larger cap",
      );
    }
    if (next.capBytes < this.countedHolding) {
      throw new Problem(
        409,
        "holding-too-large",
        "Holding alone is larger than that cap; empty holding first, or set a larger cap",
      );
    }
    const frames = this.overCap(next.capBytes);
    const over = await this.takenWith(frames);
    const isAllowed = may.mayRemove || (may.mayHold && over.isHeld);
    if (frames.length > 0 && !isAllowed)
      throw new Problem(
        409,
        "would-remove",
        `That cap has no room for ${over.frames} frames of ${over.bytes} bytes, which would ${over.isHeld ? "go to holding" : "be removed for good"}; say that they may go`,
      );
    const keys = frames.map(({ key }) => key);
    if (keys.length > 0) await giveUp?.(keys, over);
    await this.settingsFile.replace(next);
    await this.makeRoom(0);
  }

  private async checkCap(capBytes: Bytes): Promise<void> {
    const totalBytes = await this.medium.totalBytes(this.root);
    if (capBytes > totalBytes)
      throw new Problem(
        400,
        "invalid",
        `capBytes: the drive of ${this.root} has ${totalBytes} bytes in all; choose a lower cap`,
      );
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

  /**
   * Stores a frame under a temporary name, then renames it. A key that is held already stays as it is.
   * @throws Problem 507 when neither cap nor drive has room, 400 when the content is not as long as announced, 403
   *   when the folder cannot be written, 503 when it is gone
   */
  async write(frame: NewFrame, content: AsyncIterable<Uint8Array>): Promise<void> {
    if (this.index.has(frame.key)) {
      for await (const chunk of content) void chunk;
      return;
    }
    await this.store(frame.size, content, async (root, temporary, name, crc) => {
      if (this.index.has(frame.key) || this.naming.has(frame.key)) return;
      this.naming.add(frame.key);
      const folder = root.makeWay([FRAMES, frame.owner]);
      try {
        await temporary.moved(name, folder, nameOf({ ...frame, crc }));
        this.index.add({ ...frame, crc, costMs: Math.round(frame.costMs), lastUsedMs: Date.now() });
      } finally {
        folder.close();
        this.naming.delete(frame.key);
      }
    });
  }

  /**
   * Writes a file of a known size under a temporary name, within cap and drive, and lets `place` give it its name.
   * @throws Problem as `write`
   */
  async store(
    size: Bytes,
    content: AsyncIterable<Uint8Array>,
    place: (root: Folder, temporary: Folder, name: string, crc: number) => Promise<void>,
  ): Promise<void> {
    let reserved = 0;
    // Room is made for what has arrived: what is only announced may never come, and takes no frame's place.
    const reserve = async (bytes: Bytes) => {
      const more = allocatedBytes(bytes) - reserved;
      reserved += more;
      this.reservedBytes += more;
      await this.checkDrive();
      await this.makeRoom(RECENT_MS);
    };
    try {
      await this.checkAnnounced(size);
      await this.place.use(async (root) => {
        const temporary = root.make(TEMPORARY);
        const name = String(++this.serial);
        try {
          const crc = await this.medium.transfer("write", size, () => receive(temporary, name, size, content, reserve));
          await place(root, temporary, name, crc);
        } finally {
          // Where nothing can be removed nothing was written either.
          await temporary.removed(name).catch(() => undefined);
          temporary.close();
        }
      });
    } catch (error) {
      throw asRefusal(error, this.root);
    } finally {
      this.reservedBytes -= reserved;
    }
  }

  /** Refuses what could not be stored whatever was removed for it. */
  private async checkAnnounced(size: Bytes): Promise<void> {
    const room = allocatedBytes(size);
    if (room > this.settings.capBytes - this.countedHolding - this.sequenceBytes())
      throw new Problem(507, "cap-reached", `${this.root} cannot hold ${size} bytes within its cap; raise the cap`);
    await this.checkDrive(room);
  }

  /**
   * Reads a file of a known size at the pace of the medium.
   * @param way names of the folders that it lies in @returns undefined for what is no file
   */
  readFile(way: readonly string[], name: string, size: Bytes): Promise<Buffer | undefined> {
    return this.medium.transfer("read", size, () =>
      this.place.use(async (root) => {
        const folder = root.enter(way.join("/"));
        try {
          return await readWhole(folder, name, size);
        } finally {
          folder.close();
        }
      }),
    );
  }

  /**
   * The bytes of a frame, checked against its CRC.
   * @throws Problem 404 when it is not held, or was found damaged and has been removed
   */
  async read(key: ContentKey): Promise<ReadFrame> {
    const frame = this.index.get(key);
    if (!frame) throw new Problem(404, "not-held", `No frame ${key} is held on disk`);
    let content: Buffer | undefined;
    try {
      content = await this.readFile([FRAMES, frame.owner], nameOf(frame), frame.size);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code !== "ENOENT" && code !== "ELOOP") throw asRefusal(error, this.root);
      // A link in its place leads elsewhere: it is neither followed nor removed.
      this.index.forget(frame);
      throw new Problem(404, "not-held", `The file of frame ${key} is gone`);
    }
    if (content?.length !== frame.size || crc32(content) !== frame.crc) {
      this.index.forget(frame);
      // Only a file can be a torn or altered one; anything else that took its place is not ours.
      if (content) await this.inFolderOf(frame, (folder) => folder.removed(nameOf(frame)));
      throw new Problem(404, "damaged", `The file of frame ${key} was damaged and has been removed`);
    }
    const now = Date.now();
    this.index.use(frame, now);
    // The time of last use steers only what goes first; it is not worth an answer's delay.
    this.inFolderOf(frame, (folder) => folder.touched(nameOf(frame), now)).catch((error: NodeJS.ErrnoException) => {
      // Moved away meanwhile, or on a drive that is only read.
      if (error.code !== "ENOENT" && error.code !== "EROFS") console.warn(`${this.root}: ${String(error)}`);
    });
    const { format, owner, costMs } = frame;
    return { content, format, owner, costMs };
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
    const { size, mtimeMs } = await this.inFolderOf({ owner }, (folder) => folder.stats(path.basename(relative)));
    this.index.add({ ...name, owner, size, lastUsedMs: mtimeMs });
  }

  private inFolderOf<T>({ owner }: Pick<StoredFrame, "owner">, work: (folder: Folder) => Promise<T>): Promise<T> {
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
  private async discardAll(owner: string, frames: readonly StoredFrame[]): Promise<void> {
    const bytes = frames.reduce((sum, { size }) => sum + allocatedBytes(size), 0);
    for (const frame of frames) this.index.forget(frame);
    // They take their space until they are really gone.
    this.leavingBytes += bytes;
    const faults = await this.inFolderOf({ owner }, (folder) =>
      Promise.all(frames.map((frame) => faultOf(folder.removed(nameOf(frame))))),
    ).catch((error: NodeJS.ErrnoException) => frames.map(() => error));
    this.leavingBytes -= bytes;
    // What is not there is gone, and what a link leads to is not ours, and stays.
    const kept = frames.filter((_, at) => faults[at] !== undefined && !isGone(faults[at]));
    for (const frame of kept) this.index.add(frame);
    if (kept.length === frames.length && kept.length > 0) throw faults[0]!;
  }

  /** Bytes taken, with holding and what is being written. */
  private takenBytes(): Bytes {
    return this.index.bytes + this.reservedBytes + this.leavingBytes + this.countedHolding + this.sequenceBytes();
  }

  private get countedHolding(): Bytes {
    return this.holding.bytes - this.holding.beyondCapBytes;
  }

  private async checkDrive(announced: Bytes = 0): Promise<void> {
    const free = await this.medium.freeBytes(this.root);
    if (free - this.reservedBytes - announced < this.keptFree) {
      throw new Problem(
        507,
        "drive-full",
        `Less than 1 GB is free on the drive of ${this.root}; frames are not stored until space is free`,
      );
    }
  }

  /** Removes frames by the rule until the cap holds, sparing those used within `spareMs`. */
  private makeRoom(spareMs: Milliseconds): Promise<void> {
    return this.making.add(() => this.evict(spareMs));
  }

  private async evict(spareMs: Milliseconds): Promise<void> {
    const { capBytes, rule } = this.settings;
    while (this.takenBytes() > capBytes) {
      // A little ahead of what is needed: several are removed in less time than one after the other.
      let missing = this.takenBytes() - capBytes;
      const going = new Map<string, StoredFrame[]>();
      for (let n = 0, last = 0; (missing > 0 || last - missing <= capBytes * AHEAD) && n < MOST_AT_ONCE; n++) {
        const frame = this.evictions.next({ rule, spareMs }, Date.now());
        if (!frame) break;
        last = allocatedBytes(frame.size);
        missing -= last;
        const own = going.get(frame.owner);
        if (own) own.push(frame);
        else going.set(frame.owner, [frame]);
      }
      if (going.size === 0)
        throw new Problem(
          507,
          "cap-reached",
          `${this.root} has reached its cap and everything in it was used in the last 10 minutes; raise the cap or sweep`,
        );
      for (const [owner, frames] of going) await this.discardAll(owner, frames);
    }
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

// Share of the cap that may be freed ahead: some dozen frames of a large location, none of a small one.
const AHEAD = 1 / 2000;
const MOST_AT_ONCE = 256;

const FRAMES = "frames";
const TEMPORARY = "temporary";

/** Makes what a volume needs, and lets go what was being written when an interruption came. */
function prepare(root: Folder): void {
  root.make(FRAMES).close();
  const temporary = root.make(TEMPORARY);
  try {
    // Nothing else is ever there.
    for (const name of temporary.names()) if (/^\d+$/.test(name)) temporary.remove(name);
  } finally {
    temporary.close();
  }
}

/** What an error of the file system means for whoever wanted to store or read a frame. */
function asRefusal(error: unknown, root: string): unknown {
  switch ((error as NodeJS.ErrnoException).code) {
    case "EACCES":
    case "EPERM":
      return new Problem(403, "not-writable", `${root} may not be written; change its permissions, or choose another`);
    case "EROFS":
      return new Problem(403, "read-only", `${root} is read-only; make it writable, or choose another`);
    case "ENOTDIR":
      return new Problem(409, "not-a-folder", `${(error as Error).message}; remove it, or put the folder back`);
    case "ENOENT":
    case "ENODEV":
    case "ENXIO":
    case "EIO":
    case "ESTALE":
      return new Problem(503, "missing", `${root} is gone, with its drive or by itself; attach the drive again`);
    default:
      return error;
  }
}

/**
 * Writes what arrives, a few megabytes at a time: each write is a trip to another thread.
 * @param reserve asked before so many bytes in all are there @returns the CRC
 */
async function receive(
  folder: Folder,
  name: string,
  size: Bytes,
  content: AsyncIterable<Uint8Array>,
  reserve: (bytes: Bytes) => Promise<void>,
): Promise<number> {
  const file = await folder.createFile(name);
  let received = 0;
  let crc = 0;
  let waiting: Uint8Array[] = [];
  let waitingBytes = 0;
  try {
    for await (const chunk of content) {
      received += chunk.length;
      if (received > size) break;
      crc = crc32(chunk, crc);
      waiting.push(chunk);
      waitingBytes += chunk.length;
      if (waitingBytes < WRITE_BYTES && received < size) continue;
      await reserve(received);
      await file.writev(waiting);
      waiting = [];
      waitingBytes = 0;
    }
    // Its name must never stand for bytes that did not reach the drive. It also keeps the system from
    // collecting hundreds of frames and writing them later, all at once, in the middle of playback.
    await file.datasync();
  } finally {
    await file.close();
  }
  if (received !== size) throw new Problem(400, "wrong-length", `Expected ${size} bytes, received ${received}`);
  return crc;
}

/**
 * Reads a file of known size in one piece, and one byte more where there is one, so that a file that has grown
 * is noticed too. No link is followed. @returns undefined for what is no file
 */
async function readWhole(folder: Folder, name: string, size: Bytes): Promise<Buffer | undefined> {
  const file = await folder.openFile(name);
  try {
    if (!(await file.stat()).isFile()) return undefined;
    const buffer = Buffer.allocUnsafe(size + 1);
    const { bytesRead } = await file.read(buffer, 0, size + 1, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}

function itemOf({ key, owner, size, lastUsedMs, costMs }: StoredFrame): FrameItem {
  return { key, owner, bytes: allocatedBytes(size), lastUsedMs, costMs };
}
