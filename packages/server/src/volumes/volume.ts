import { crc32 } from "node:zlib";
import type { Bytes, ContentKey, FillSample, LocationSettings } from "@kinetocache/core";
import type { Medium } from "../drives/medium";
import type { Folder } from "../files/folder";
import { makeDataFolder } from "../files/jsonFile";
import { Place } from "../files/place";
import { Problem } from "../http/problem";
import { readWhole, receive } from "./fileContent";
import { nameOf } from "./frameFile";
import { FrameFiles, type NewFrame } from "./frameFiles";
import { FrameIndex } from "./frameIndex";
import { Ownership } from "./ownership";
import { asRefusal } from "./refusal";
import { Room, type OverCap } from "./room";
import type { StoredFrame } from "./storedFrame";
import { VolumeSettings } from "./volumeSettings";

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

/**
 * A folder of cached frames: `frames/<owner>/<name>`. The names hold all that the index needs, so it is
 * rebuilt from the folder where it is lost. Bytes never exceed the cap, what is being written included.
 */
export class Volume {
  /** Frames that are being given their names: of several writers of one frame only the first does that. */
  private readonly naming = new Set<ContentKey>();
  private serial = 0;
  private readonly leave: () => void;

  private constructor(
    /** The folder, by its path without links. */
    readonly root: string,
    readonly place: Place,
    readonly frames: FrameFiles,
    readonly room: Room,
    private readonly ownership: Ownership,
    private readonly settings: VolumeSettings,
  ) {
    this.leave = room.medium.occupy(() => room.takenBytes);
  }

  /**
   * Opens or creates the volume in a folder.
   * @throws Error when another process has it open
   */
  static async open(root: string, { keptFree, medium, onLost }: VolumeOptions = {}): Promise<Volume> {
    await makeDataFolder(root);
    const place = new Place(root);
    const ownership = await Ownership.take(place, onLost);
    try {
      await place.use(prepare);
      const frames = new FrameFiles(place, await FrameIndex.open(place));
      const settings = await VolumeSettings.open(root);
      // It was to be cleared when it was closed; a crash came first.
      if (settings.now.clearOnClose) await frames.clear();
      const room = new Room({ root, frames, settings: () => settings.now, keptFree, medium });
      return new Volume(root, place, frames, room, ownership, settings);
    } catch (error) {
      await ownership.giveUp();
      throw error;
    }
  }

  async close(): Promise<void> {
    if (this.settings.now.clearOnClose) await this.frames.clear();
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
    await this.frames.index.save(this.place).catch((error: NodeJS.ErrnoException) => {
      // A drive that was removed takes nothing any more; its index is rebuilt when it is back.
      if (error.code !== "ENOENT") console.warn(`${this.root}: ${String(error)}`);
    });
  }

  /** @throws Error when the folder is gone, with its drive or by itself */
  async state(): Promise<VolumeState> {
    await this.place.use((root) => root.enter(FRAMES).close());
    const { room } = this;
    const { size, bytes } = this.frames.index;
    return {
      ...this.settings.now,
      path: this.root,
      frames: size,
      bytes,
      holdingBytes: room.holding.bytes,
      beyondCapBytes: room.holding.beyondCapBytes,
      sequenceBytes: room.sequenceBytes(),
      freeBytes: await room.freeBytes(),
      growth: await this.settings.sample(bytes),
    };
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
    const next = { ...this.settings.now, ...settings };
    const { room } = this;
    await room.checkCap(next, settings.capBytes !== undefined);
    const frames = room.overCap(next.capBytes);
    const over = await room.takenWith(frames);
    const isAllowed = may.mayRemove || (may.mayHold && over.isHeld);
    if (frames.length > 0 && !isAllowed)
      throw new Problem(
        409,
        "would-remove",
        `That cap has no room for ${over.frames} frames of ${over.bytes} bytes, which would ${over.isHeld ? "go to holding" : "be removed for good"}; say that they may go`,
      );
    const keys = frames.map(({ key }) => key);
    if (keys.length > 0) await giveUp?.(keys, over);
    await this.settings.replace(next);
    await room.make(0);
  }

  /**
   * Stores a frame under a temporary name, then renames it. A key that is held already stays as it is.
   * @throws Problem 507 when neither cap nor drive has room, 400 when the content is not as long as announced, 403
   *   when the folder cannot be written, 503 when it is gone
   */
  async write(frame: NewFrame, content: AsyncIterable<Uint8Array>): Promise<void> {
    if (this.frames.has(frame.key)) {
      for await (const chunk of content) void chunk;
      return;
    }
    await this.store(frame.size, content, async (root, temporary, name, crc) => {
      if (this.frames.has(frame.key) || this.naming.has(frame.key)) return;
      this.naming.add(frame.key);
      try {
        await this.frames.take(root, temporary, name, { ...frame, crc });
      } finally {
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
    try {
      await this.room.checkAnnounced(size);
      await this.room.reserved((reserve) =>
        this.place.use(async (root) => {
          const temporary = root.make(TEMPORARY);
          const name = String(++this.serial);
          try {
            const crc = await this.room.medium.transfer("write", size, () =>
              receive(temporary, name, size, content, reserve),
            );
            await place(root, temporary, name, crc);
          } finally {
            // Where nothing can be removed nothing was written either.
            await temporary.removed(name).catch(() => undefined);
            temporary.close();
          }
        }),
      );
    } catch (error) {
      throw asRefusal(error, this.root);
    }
  }

  /**
   * Reads a file of a known size at the pace of the medium.
   * @param way names of the folders that it lies in @returns undefined for what is no file
   */
  readFile(way: readonly string[], name: string, size: Bytes): Promise<Buffer | undefined> {
    return this.room.medium.transfer("read", size, () =>
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
    const frame = this.frames.index.get(key);
    if (!frame) throw new Problem(404, "not-held", `No frame ${key} is held on disk`);
    let content: Buffer | undefined;
    try {
      content = await this.readFile([FRAMES, frame.owner], nameOf(frame), frame.size);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code !== "ENOENT" && code !== "ELOOP") throw asRefusal(error, this.root);
      // A link in its place leads elsewhere: it is neither followed nor removed.
      this.frames.index.forget(frame);
      throw new Problem(404, "not-held", `The file of frame ${key} is gone`);
    }
    if (content?.length !== frame.size || crc32(content) !== frame.crc) {
      this.frames.index.forget(frame);
      // Only a file can be a torn or altered one; anything else that took its place is not ours.
      if (content) await this.frames.inFolder(frame.owner, (folder) => folder.removed(nameOf(frame)));
      throw new Problem(404, "damaged", `The file of frame ${key} was damaged and has been removed`);
    }
    const now = Date.now();
    this.frames.index.use(frame, now);
    // The time of last use steers only what goes first; it is not worth an answer's delay.
    this.frames
      .inFolder(frame.owner, (folder) => folder.touched(nameOf(frame), now))
      .catch((error: NodeJS.ErrnoException) => {
        // Moved away meanwhile, or on a drive that is only read.
        if (error.code !== "ENOENT" && error.code !== "EROFS") console.warn(`${this.root}: ${String(error)}`);
      });
    const { format, owner, costMs } = frame;
    return { content, format, owner, costMs };
  }
}

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
