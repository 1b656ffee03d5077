import {
  Bakes,
  IN_MEMORY,
  ON_DISK,
  storedFrameName,
  withVariant,
  type Bake,
  type ContentKey,
  type Document,
  type EvictionContext,
  type FrameNumber,
  type FrameRange,
  type RenderSettings,
  type StoredFrame,
} from "@kinetocache/core";
import { dequal } from "dequal";
import type { BranchDesk } from "./branchDesk";
import type { CostBook } from "./frameCosts";
import { LayerLanes } from "./layerLanes";
import { PreviewTimeline, type Tiers } from "./previewTimeline";
import type { Comparison } from "./protocol/command";

/** What is put on the stage. */
export interface Scenery {
  readonly document: Document;
  readonly bakes: readonly Bake[];
}

/** Where playback is, for what is worth keeping. */
export interface Position {
  readonly playhead: FrameNumber;
  readonly range: FrameRange;
  /** While playing. */
  readonly direction?: 1 | -1;
}

/**
 * What is on show: the open variant's timeline, that of the variant it is compared with, and the lanes of single
 * layers, all of one state of the document at one quality.
 */
export class Stage {
  private scenery: Scenery | undefined;
  /** Names of stored pictures that could not be read: the live branches are played there. */
  private readonly unreadableNames = new Set<string>();
  private compared: Comparison | undefined;
  private main: PreviewTimeline | undefined;
  private beside: PreviewTimeline | undefined;
  /** Frames at the size for scrubbing that were asked for, by key. */
  private readonly scrubbed = new Map<ContentKey, FrameNumber>();
  private layerLanes: LayerLanes | undefined;
  private quality: RenderSettings | undefined;

  constructor(
    private readonly book: CostBook,
    private readonly tiers: Tiers,
    private readonly branches: BranchDesk,
  ) {}

  get document(): Document | undefined {
    return this.scenery?.document;
  }

  get bakes(): readonly Bake[] {
    return this.scenery?.bakes ?? [];
  }

  get unreadable(): readonly string[] {
    return [...this.unreadableNames];
  }

  get timeline(): PreviewTimeline | undefined {
    return this.main;
  }

  get other(): PreviewTimeline | undefined {
    return this.beside;
  }

  get lanes(): LayerLanes | undefined {
    return this.layerLanes;
  }

  get comparison(): Comparison | undefined {
    return this.compared;
  }

  /** Puts another state, or another document, on. What a comparison was with may be gone. */
  set(scenery: Scenery): void {
    const { variants, main, id } = scenery.document;
    if (this.document?.id !== id) {
      this.compared = undefined;
      this.unreadableNames.clear();
    }
    this.scenery = scenery;
    const isThere = variants.some(({ composition }) => composition === this.compared?.variant);
    if (!isThere || this.compared?.variant === main) this.compared = undefined;
  }

  setBakes(bakes: readonly Bake[]): void {
    if (this.scenery) this.scenery = { ...this.scenery, bakes };
    this.unreadableNames.clear();
  }

  /** Makes the timelines anew, at a quality. */
  build(quality: RenderSettings): void {
    const { document } = this.scenery!;
    this.quality = quality;
    this.main = this.timelineOf(document);
    this.beside = this.compared && this.timelineOf(withVariant(document, this.compared.variant));
    this.scrubbed.clear();
    this.branches.startTimeline();
    this.layerLanes = new LayerLanes(document, quality, this.main.bakes, this.tiers.inMemory);
  }

  /** @returns whether anything has changed */
  compare(comparison: Comparison | undefined): boolean {
    const before = this.compared;
    if (!this.scenery || dequal(before, comparison)) return false;
    this.compared = comparison;
    if (before?.variant !== comparison?.variant)
      this.beside = comparison && this.timelineOf(withVariant(this.scenery.document, comparison.variant));
    return true;
  }

  /** What is shown together, now. */
  sides(isPlaying: boolean): readonly PreviewTimeline[] {
    if (!this.main) return [];
    return this.beside && !(this.compared?.parkedOnly && isPlaying) ? [this.main, this.beside] : [this.main];
  }

  /** Notes which frame a key shows at the size for scrubbing. */
  noteScrubbed(key: ContentKey, frame: FrameNumber): void {
    this.scrubbed.set(key, frame);
  }

  /** Whether a frame of what is on the stage has a key. */
  has(key: ContentKey): boolean {
    return (this.main?.has(key) ?? false) || (this.beside?.has(key) ?? false);
  }

  isPresent(timeline: PreviewTimeline): boolean {
    return timeline === this.main || timeline === this.beside;
  }

  /** Notes that a frame or a layer's pixels came into memory or left it. */
  noteHeld(key: ContentKey, held: boolean): void {
    this.main?.mark(key, IN_MEMORY, held);
    this.beside?.mark(key, IN_MEMORY, held);
    this.layerLanes?.mark(key, held);
  }

  noteOnDisk(keys: readonly ContentKey[], held: boolean): void {
    for (const key of keys) {
      this.main?.mark(key, ON_DISK, held);
      this.beside?.mark(key, ON_DISK, held);
    }
  }

  /** Where each frame is held; of two sides that are on show together, where both can be had. */
  residency(isPlaying: boolean): Uint8Array {
    const [main, other] = this.sides(isPlaying) as [PreviewTimeline, PreviewTimeline | undefined];
    if (!other) return main.residency;
    return main.residency.map((bits, frame) => {
      const beside = frame < other.duration ? other.residency[frame]! : bits;
      const isHeld = bits & beside & IN_MEMORY;
      return isHeld | (bits > 0 && beside > 0 && !isHeld ? ON_DISK : 0);
    });
  }

  /** The side whose frame is not in memory. */
  lacking(frame: FrameNumber, isPlaying: boolean): PreviewTimeline | undefined {
    return this.sides(isPlaying).find((side) => {
      if (frame >= side.duration) return false;
      side.keyOf(frame);
      return !side.isInMemory(frame);
    });
  }

  /** Which bakes a picture belongs to. */
  bakesOf({ sequence }: StoredFrame): Bake[] {
    return this.bakes.filter((bake) => bake.sequence === sequence);
  }

  /**
   * A baked picture cannot be read: the live branch is played there from the next `build` on.
   * @param all whether that holds for all baked pictures, as while the server is gone
   * @returns whether it is the first of its bake, or undefined when it was known
   */
  noteUnreadable(stored: StoredFrame, all: boolean): boolean | undefined {
    const names = all ? this.bakes.flatMap(pictureNames) : [storedFrameName(stored)];
    if (names.every((name) => this.unreadableNames.has(name))) return undefined;
    const isFirst = !this.unreadable.some((name) => name.startsWith(`${stored.sequence}/`));
    names.forEach((name) => this.unreadableNames.add(name));
    return isFirst;
  }

  /** Baked pictures may be read again. @returns whether any could not be */
  readAgain(): boolean {
    const had = this.unreadableNames.size > 0;
    this.unreadableNames.clear();
    return had;
  }

  /** What the cache goes by. @param pinned layers whose pixels go last */
  evictionContext({ playhead, range, direction }: Position, pinned: readonly string[]): EvictionContext {
    const { branches } = this;
    const sides = this.sides(direction !== undefined);
    if (sides.length === 0) return { mode: "leastRecentlyUsed" };
    const isPinned = (key: ContentKey) => {
      const layer = pinned.length > 0 ? branches.layerOf(key) : undefined;
      return layer !== undefined && pinned.includes(layer);
    };
    if (direction !== undefined) {
      const from = playhead + direction;
      const nextUse = (key: ContentKey) => Math.min(...sides.map((side) => side.nextUse(key, from, range, direction)));
      return { mode: "playback", nextUse, isPinned };
    }
    const sideOf = (key: ContentKey) => sides.find((side) => side.has(key));
    return {
      mode: "free",
      distance: (key) => {
        const [side, frame] = [sideOf(key), this.scrubbed.get(key)];
        if (side) return side.distance(key, playhead);
        return frame === undefined ? branches.distance(key, playhead) : Math.abs(frame - playhead);
      },
      inRange: (key) => {
        const [side, frame] = [sideOf(key), this.scrubbed.get(key)];
        if (side) return side.isIn(key, range);
        return frame === undefined ? branches.isIn(key, range) : frame >= range.in && frame < range.out;
      },
      demand: (key) => sideOf(key)?.framesOf(key).length ?? branches.demand(key),
      isPinned,
    };
  }

  private timelineOf(document: Document): PreviewTimeline {
    const bakes = new Bakes(this.bakes, new Set(this.unreadableNames));
    return new PreviewTimeline(document, this.quality!, bakes, this.book, this.tiers);
  }
}

function pictureNames({ sequence, range }: Bake): string[] {
  return Array.from({ length: range.out - range.in }, (_, frame) => storedFrameName({ sequence, frame }));
}
