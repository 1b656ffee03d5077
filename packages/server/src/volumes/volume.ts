import { mkdir, open, readdir, readFile, rename, rm, stat, statfs, unlink, utimes, writeFile } from "node:fs/promises";
import path from "node:path";
import { crc32 } from "node:zlib";
import {
  RECENT_MS,
  type Bytes,
  type ContentKey,
  type FrameFormat,
  type FrameItem,
  type Milliseconds,
} from "@kinetocache/core";
import Joi from "joi";
import { Problem } from "../http/problem";
import { isRunning } from "../machine/processes";
import { allocatedBytes, nameOf, parseName, type FrameName } from "./frameFile";

export interface VolumeSettings {
  readonly capBytes: Bytes;
  /** Whether 8-bit frames are stored as QOI rather than PAM. */
  readonly packed: boolean;
}

export interface VolumeState extends VolumeSettings {
  readonly path: string;
  readonly frames: number;
  readonly bytes: Bytes;
  readonly holdingBytes: Bytes;
  /** Free bytes of the drive. */
  readonly freeBytes: Bytes;
}

interface StoredFrame extends FrameName {
  readonly owner: string;
  readonly size: Bytes;
  lastUsedMs: number;
}

const GIB = 2 ** 30;
const DEFAULTS: VolumeSettings = { capBytes: 20 * GIB, packed: false };
const SMALLEST_CAP = 16 * 2 ** 20;
// Chunks of a request are gathered up to this size before they are written.
const WRITE_BYTES = 4 * 2 ** 20;
// The last gigabyte of a drive belongs to the system.
const KEPT_FREE: Bytes = GIB;

export const settingsSchema = Joi.object<VolumeSettings>({
  capBytes: Joi.number()
    .integer()
    .min(SMALLEST_CAP)
    .max(2 ** 50),
  packed: Joi.boolean(),
});

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
 * rebuilt from the folder at every start. Bytes never exceed the cap, what is being written included.
 */
export class Volume {
  private readonly index = new Map<ContentKey, StoredFrame>();
  private settings: VolumeSettings = DEFAULTS;
  private frameBytes = 0;
  private reservedBytes = 0;
  /** Frames that are being given their names: of several writers of one frame only the first does that. */
  private readonly naming = new Set<ContentKey>();
  private serial = 0;
  /** Set by the holding area, whose files count against the cap. */
  holdingBytes: () => Bytes = () => 0;

  private constructor(
    readonly root: string,
    private readonly keptFree: Bytes,
  ) {}

  /**
   * Opens or creates the volume in a folder.
   * @param keptFree free bytes of the drive below which nothing more is stored
   * @throws Error when another process has it open
   */
  static async open(root: string, keptFree: Bytes = KEPT_FREE): Promise<Volume> {
    const volume = new Volume(root, keptFree);
    await mkdir(volume.framesPath, { recursive: true });
    await volume.lock();
    await rm(volume.tempPath, { recursive: true, force: true });
    await mkdir(volume.tempPath);
    await volume.loadSettings();
    await volume.rebuildIndex();
    return volume;
  }

  async close(): Promise<void> {
    await rm(this.lockPath, { force: true });
  }

  get framesPath(): string {
    return path.join(this.root, "frames");
  }

  private get tempPath(): string {
    return path.join(this.root, "temporary");
  }

  private get lockPath(): string {
    return path.join(this.root, "owner");
  }

  private get settingsPath(): string {
    return path.join(this.root, "settings.json");
  }

  private async lock(): Promise<void> {
    try {
      await writeFile(this.lockPath, String(process.pid), { flag: "wx" });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
      const owner = Number(await readFile(this.lockPath, "utf8"));
      if (owner > 0 && owner !== process.pid && isRunning(owner)) {
        throw new Error(
          `The cache in ${this.root} is in use by process ${owner}; stop it or choose another folder with --data`,
        );
      }
      await writeFile(this.lockPath, String(process.pid));
    }
  }

  private async loadSettings(): Promise<void> {
    let text: string;
    try {
      text = await readFile(this.settingsPath, "utf8");
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === "ENOENT") return;
      throw error;
    }
    try {
      const { error, value } = settingsSchema.validate(JSON.parse(text) as unknown);
      if (error) throw error;
      this.settings = { ...DEFAULTS, ...value };
    } catch (error) {
      console.warn(`${this.settingsPath} is damaged (${(error as Error).message}); the default cap is in force`);
    }
  }

  private async rebuildIndex(): Promise<void> {
    for (const owner of await readdir(this.framesPath)) {
      const folder = path.join(this.framesPath, owner);
      for (const name of await readdir(folder)) {
        const frame = parseName(name);
        if (!frame) continue;
        const { size, mtimeMs } = await stat(path.join(folder, name));
        this.add({ ...frame, owner, size, lastUsedMs: mtimeMs });
      }
    }
  }

  async state(): Promise<VolumeState> {
    const drive = await statfs(this.root);
    return {
      ...this.settings,
      path: this.root,
      frames: this.index.size,
      bytes: this.frameBytes,
      holdingBytes: this.holdingBytes(),
      freeBytes: drive.bavail * drive.bsize,
    };
  }

  /** Changes cap or packing; a lower cap takes effect at once, the least recently used going first. */
  async change(settings: Partial<VolumeSettings>): Promise<void> {
    const next = { ...this.settings, ...settings };
    if (next.capBytes < this.holdingBytes()) {
      throw new Problem(
        409,
        "holding-too-large",
        "Holding alone is larger than that cap; empty holding first, or set a larger cap",
      );
    }
    this.settings = next;
    const temporary = path.join(this.tempPath, `settings-${++this.serial}`);
    await writeFile(temporary, JSON.stringify(next), { flush: true });
    await rename(temporary, this.settingsPath);
    await this.makeRoom(0);
  }

  get packed(): boolean {
    return this.settings.packed;
  }

  /** Keys of all frames held, each with what rendering it took. */
  keys(): [ContentKey, Milliseconds][] {
    return [...this.index.values()].map(({ key, costMs }) => [key, costMs]);
  }

  items(): FrameItem[] {
    return [...this.index.values()].map(({ key, owner, size, lastUsedMs, costMs }) => ({
      key,
      owner,
      bytes: allocatedBytes(size),
      lastUsedMs,
      costMs,
    }));
  }

  /**
   * Stores a frame under a temporary name, then renames it. A key that is held already stays as it is.
   * @throws Problem 507 when neither cap nor drive has room, 400 when the content is not as long as announced
   */
  async write(frame: NewFrame, content: AsyncIterable<Uint8Array>): Promise<void> {
    if (this.index.has(frame.key)) {
      for await (const chunk of content) void chunk;
      return;
    }
    const room = allocatedBytes(frame.size);
    this.reservedBytes += room;
    const temporary = path.join(this.tempPath, String(++this.serial));
    try {
      await this.checkDrive();
      await this.makeRoom(RECENT_MS);
      const crc = await this.receive(temporary, frame.size, content);
      const folder = path.join(this.framesPath, frame.owner);
      await mkdir(folder, { recursive: true });
      if (this.index.has(frame.key) || this.naming.has(frame.key)) return;
      this.naming.add(frame.key);
      try {
        await rename(temporary, path.join(folder, nameOf({ ...frame, crc })));
        this.add({ ...frame, crc, costMs: Math.round(frame.costMs), lastUsedMs: Date.now() });
      } finally {
        this.naming.delete(frame.key);
      }
    } finally {
      this.reservedBytes -= room;
      await rm(temporary, { force: true });
    }
  }

  /** Writes what arrives, a few megabytes at a time: each write is a trip to another thread. @returns the CRC */
  private async receive(temporary: string, size: Bytes, content: AsyncIterable<Uint8Array>): Promise<number> {
    const file = await open(temporary, "wx");
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
   * The bytes of a frame, checked against its CRC.
   * @throws Problem 404 when it is not held, or was found damaged and has been removed
   */
  async read(key: ContentKey): Promise<{ readonly content: Buffer; readonly format: FrameFormat }> {
    const frame = this.index.get(key);
    if (!frame) throw new Problem(404, "not-held", `No frame ${key} is held on disk`);
    const file = this.pathOf(frame);
    let content: Buffer;
    try {
      content = await readWhole(file, frame.size);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
      this.forget(frame);
      throw new Problem(404, "not-held", `The file of frame ${key} is gone`);
    }
    if (content.length !== frame.size || crc32(content) !== frame.crc) {
      this.forget(frame);
      await rm(file, { force: true });
      throw new Problem(404, "damaged", `The file of frame ${key} was damaged and has been removed`);
    }
    const now = Date.now();
    frame.lastUsedMs = now;
    // The time of last use steers only what goes first; it is not worth an answer's delay.
    utimes(file, now / 1000, now / 1000).catch((error: unknown) => console.warn(`${file}: ${String(error)}`));
    return { content, format: frame.format };
  }

  /** Path below `frames/` of each key that is held; others are left out. */
  relativePaths(keys: readonly ContentKey[]): string[] {
    return keys.flatMap((key) => {
      const frame = this.index.get(key);
      return frame ? [path.relative(this.framesPath, this.pathOf(frame))] : [];
    });
  }

  /** Notes that a file below `frames/` was moved away. */
  noteGone(relative: string): void {
    const name = parseName(path.basename(relative));
    const frame = name && this.index.get(name.key);
    if (frame) this.forget(frame);
  }

  /** Notes that a file was moved to its place below `frames/`. */
  async noteBack(relative: string): Promise<void> {
    const name = parseName(path.basename(relative));
    if (!name || this.index.has(name.key)) return;
    const { size, mtimeMs } = await stat(path.join(this.framesPath, relative));
    this.add({ ...name, owner: path.dirname(relative), size, lastUsedMs: mtimeMs });
  }

  private pathOf(frame: StoredFrame): string {
    return path.join(this.framesPath, frame.owner, nameOf(frame));
  }

  private add(frame: StoredFrame): void {
    this.index.set(frame.key, frame);
    this.frameBytes += allocatedBytes(frame.size);
  }

  private forget(frame: StoredFrame): void {
    if (this.index.delete(frame.key)) this.frameBytes -= allocatedBytes(frame.size);
  }

  /** Bytes taken, with holding and what is being written. */
  private takenBytes(): Bytes {
    return this.frameBytes + this.reservedBytes + this.holdingBytes();
  }

  private async checkDrive(): Promise<void> {
    const drive = await statfs(this.root);
    if (drive.bavail * drive.bsize - this.reservedBytes < this.keptFree) {
      throw new Problem(
        507,
        "drive-full",
        "Less than 1 GB is free on the drive of the disk cache; frames are not stored until space is free",
      );
    }
  }

  /** Removes the least recently used frames until the cap holds, sparing those used within `spareMs`. */
  private async makeRoom(spareMs: Milliseconds): Promise<void> {
    if (this.takenBytes() <= this.settings.capBytes) return;
    const now = Date.now();
    const oldest = [...this.index.values()].sort((a, b) => a.lastUsedMs - b.lastUsedMs);
    for (const frame of oldest) {
      if (this.takenBytes() <= this.settings.capBytes) return;
      if (now - frame.lastUsedMs < spareMs) break;
      this.forget(frame);
      await unlink(this.pathOf(frame)).catch((error: NodeJS.ErrnoException) => {
        if (error.code !== "ENOENT") throw error;
      });
    }
    if (this.takenBytes() > this.settings.capBytes) {
      throw new Problem(
        507,
        "cap-reached",
        "The disk cache has reached its cap and everything in it was used in the last 10 minutes; raise the cap or sweep",
      );
    }
  }
}

/**
 * Reads a file of known size in one piece, and one byte more where there is one, so that a file that has grown
 * is noticed too.
 */
async function readWhole(file: string, size: Bytes): Promise<Buffer> {
  const handle = await open(file, "r");
  try {
    const buffer = Buffer.allocUnsafe(size + 1);
    const { bytesRead } = await handle.read(buffer, 0, size + 1, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await handle.close();
  }
}
