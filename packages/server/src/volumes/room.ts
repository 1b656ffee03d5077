import { KEPT_FREE, RECENT_MS, type Bytes, type LocationSettings, type Milliseconds } from "@kinetocache/core";
import PQueue from "p-queue";
import { REAL_MEDIUM, type Medium } from "../drives/medium";
import { holdsFolders } from "../files/folder";
import { Problem } from "../http/problem";
import { EvictionQueue, ORDERS } from "./evictionQueue";
import { allocatedBytes } from "./frameFile";
import type { FrameFiles } from "./frameFiles";
import type { StoredFrame } from "./storedFrame";

/** What a lower cap takes. */
export interface OverCap {
  readonly frames: number;
  readonly bytes: Bytes;
  /** Whether it can wait in holding; for good otherwise. */
  readonly isHeld: boolean;
}

// Share of the cap that may be freed ahead: some dozen frames of a large location, none of a small one.
const AHEAD = 1 / 2000;
const MOST_AT_ONCE = 256;

interface RoomParts {
  /** Folder of the volume. */
  readonly root: string;
  readonly frames: FrameFiles;
  readonly settings: () => LocationSettings;
  /** Free bytes of the drive below which nothing more is stored. */
  readonly keptFree?: Bytes | undefined;
  readonly medium?: Medium | undefined;
}

/** The room of a volume: its cap, what takes of it, what its drive has left, and who goes first. */
export class Room {
  private reservedBytes = 0;
  /** Room is made for one after the other: two at once would both count what the other removes. */
  private readonly making = new PQueue({ concurrency: 1 });
  /** Set by the holding area, whose files count against the cap, but for those that it had no room for. */
  holding: { readonly bytes: Bytes; readonly beyondCapBytes: Bytes } = { bytes: 0, beyondCapBytes: 0 };
  /** Set by the stored sequences, which count against the cap and are never removed by its rule. */
  sequenceBytes: () => Bytes = () => 0;

  readonly medium: Medium;
  private readonly keptFree: Bytes;
  private readonly evictions: EvictionQueue;

  constructor(private readonly parts: RoomParts) {
    this.medium = parts.medium ?? REAL_MEDIUM;
    this.keptFree = parts.keptFree ?? KEPT_FREE;
    this.evictions = new EvictionQueue(parts.frames.index);
  }

  /** Bytes taken, with holding and what is being written. */
  get takenBytes(): Bytes {
    return this.parts.frames.takenBytes + this.reservedBytes + this.fixedBytes;
  }

  /** What no rule removes: holding, as far as it counts, and stored sequences. */
  private get fixedBytes(): Bytes {
    return this.countedHolding + this.sequenceBytes();
  }

  private get countedHolding(): Bytes {
    return this.holding.bytes - this.holding.beyondCapBytes;
  }

  freeBytes(): Promise<Bytes> {
    return this.medium.freeBytes(this.parts.root);
  }

  /** Frames that a cap has no room for, in the order in which they go. */
  overCap(capBytes: Bytes): StoredFrame[] {
    let over = this.takenBytes - capBytes;
    if (over <= 0) return [];
    const frames = this.parts.frames.index.all().sort(ORDERS[this.parts.settings().rule]);
    const end = frames.findIndex(({ size }) => (over -= allocatedBytes(size)) <= 0);
    return end < 0 ? frames : frames.slice(0, end + 1);
  }

  /** What a cap would take. */
  async takenBy(capBytes: Bytes): Promise<OverCap> {
    return this.takenWith(this.overCap(capBytes));
  }

  async takenWith(frames: readonly StoredFrame[]): Promise<OverCap> {
    const bytes = frames.reduce((sum, { size }) => sum + allocatedBytes(size), 0);
    return { frames: frames.length, bytes, isHeld: holdsFolders() && (await this.hasSpare()) };
  }

  /** Whether the drive has more free than is left to the system. */
  private async hasSpare(): Promise<boolean> {
    return (await this.freeBytes()) >= this.keptFree;
  }

  /** Whether so much more is below the cap. */
  hasRoomFor(bytes: Bytes): boolean {
    return this.takenBytes + allocatedBytes(bytes) <= this.parts.settings().capBytes;
  }

  /** @throws Problem 400 for a cap that is larger than the drive, 409 for one that what is fixed does not fit */
  async checkCap({ capBytes }: LocationSettings, isChanged: boolean): Promise<void> {
    const { root } = this.parts;
    const totalBytes = isChanged ? await this.medium.totalBytes(root) : Infinity;
    if (capBytes > totalBytes)
      throw new Problem(
        400,
        "invalid",
        `capBytes: the drive of ${root} has ${totalBytes} bytes in all; choose a lower cap`,
      );
    if (capBytes < this.fixedBytes && this.sequenceBytes() > 0)
      throw new Problem(
        409,
        "sequences-too-large",
        "Baked and imported sequences, with holding, are larger than that cap; remove some, or set a larger cap",
      );
    if (capBytes < this.countedHolding)
      throw new Problem(
        409,
        "holding-too-large",
        "Holding alone is larger than that cap; empty holding first, or set a larger cap",
      );
  }

  /** Refuses what could not be stored whatever was removed for it. @throws Problem 507 */
  async checkAnnounced(size: Bytes): Promise<void> {
    const room = allocatedBytes(size);
    if (room > this.parts.settings().capBytes - this.fixedBytes)
      throw new Problem(
        507,
        "cap-reached",
        `${this.parts.root} cannot hold ${size} bytes within its cap; raise the cap`,
      );
    await this.checkDrive(room);
  }

  /**
   * Makes room for a file that is on its way, as it arrives: what is only announced may never come, and takes no
   * frame's place.
   * @param work is given what asks for room for so many bytes in all, which throws Problem 507 where there is none
   */
  async reserved<T>(work: (reserve: (bytes: Bytes) => Promise<void>) => Promise<T>): Promise<T> {
    let reserved = 0;
    try {
      return await work(async (bytes) => {
        const more = allocatedBytes(bytes) - reserved;
        reserved += more;
        this.reservedBytes += more;
        await this.checkDrive();
        await this.make(RECENT_MS);
      });
    } finally {
      this.reservedBytes -= reserved;
    }
  }

  private async checkDrive(announced: Bytes = 0): Promise<void> {
    const free = await this.freeBytes();
    if (free - this.reservedBytes - announced < this.keptFree) {
      throw new Problem(
        507,
        "drive-full",
        `Less than 1 GB is free on the drive of ${this.parts.root}; frames are not stored until space is free`,
      );
    }
  }

  /** Removes frames by the rule until the cap holds, sparing those used within `spareMs`. */
  make(spareMs: Milliseconds): Promise<void> {
    return this.making.add(() => this.evict(spareMs));
  }

  private async evict(spareMs: Milliseconds): Promise<void> {
    const { capBytes, rule } = this.parts.settings();
    while (this.takenBytes > capBytes) {
      // A little ahead of what is needed: several are removed in less time than one after the other.
      let missing = this.takenBytes - capBytes;
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
          `${this.parts.root} has reached its cap and everything in it was used in the last 10 minutes; raise the cap or sweep`,
        );
      for (const [owner, frames] of going) await this.parts.frames.discardAll(owner, frames);
    }
  }
}
