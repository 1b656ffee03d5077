import {
  buildGraph,
  inOrder,
  IN_MEMORY,
  mainComposition,
  NO_BAKES,
  ON_DISK,
  stillKeys,
  Timeline,
  Bakes,
  type Composition,
  type ContentKey,
  type CostModel,
  type Document,
  type FrameGraph,
  type FrameNumber,
  type Milliseconds,
  type RenderSettings,
} from "@kinetocache/core";
import { POINTS } from "./calibration";
import { FrameCosts, type CostBook, type FrameTiming, type TakenBranch } from "./frameCosts";

/** Per-frame data of the timeline; sent when it changed. */
export interface TimelineData {
  /** Milliseconds per frame, 0 where nothing is known. */
  readonly costs: Float32Array;
  /** 0 where the cost is an estimate. */
  readonly measured: Uint8Array;
  /** Bits of where each frame is held. */
  readonly residency: Uint8Array;
  /** The same of one layer's finished pixels, while one is followed. */
  readonly layer?: { readonly id: string; readonly residency: Uint8Array };
}

/** Where frames are held when a timeline first learns their keys. */
export interface Tiers {
  readonly inMemory: (key: ContentKey) => boolean;
  readonly onDisk: (key: ContentKey) => boolean;
}

/** The keys of a frame in which something baked is played, or something is missing. */
interface Alternatives {
  readonly baked: ContentKey;
  /** Of the same frame rendered live, which is as good or better. */
  readonly live: ContentKey;
}

/**
 * The frames of one state of a document at one set of preview settings: their keys, where they are held, and
 * what they cost. Keys and estimates are worked out in slices, so that a long composition holds nothing up.
 */
export class PreviewTimeline {
  readonly composition: Composition;
  readonly costs: FrameCosts;
  /** Frames that could not be rendered, and those that are held with a file that cannot be read now. */
  readonly failed = new Set<FrameNumber>();
  private readonly frames: Timeline;
  /** Frames that were held when their keys became known. */
  private readonly heldAtFirst: Uint8Array;
  /** Of frames in which something baked is played that is up to date, or something is missing. */
  private readonly alternatives = new Map<FrameNumber, Alternatives>();
  private readonly byAlternative = new Map<ContentKey, FrameNumber[]>();
  /** The same bakes, of which none is played where it is out of date; undefined where none is locked. */
  private readonly upToDate: Bakes | undefined;
  /** First frame whose key has not been computed yet. */
  private nextUnkeyed = 0;
  /** First frame that has not been estimated since the cost model last learned much. */
  private nextUnestimated = Infinity;
  private changed = true;
  /** The graphs that were built last: going through the frames in order needs each one twice. */
  private recent: readonly { readonly frame: FrameNumber; readonly graph: FrameGraph }[] = [];

  constructor(
    readonly document: Document,
    readonly settings: RenderSettings,
    readonly bakes: Bakes,
    book: CostBook,
    private readonly tiers: Tiers,
  ) {
    this.composition = mainComposition(document);
    this.frames = new Timeline(this.composition.duration);
    this.heldAtFirst = new Uint8Array(this.composition.duration);
    const { duration, layers } = this.composition;
    this.costs = new FrameCosts(book, duration, layers, settings.renderer);
    if (bakes.list.some(({ locked }) => locked))
      this.upToDate = new Bakes(
        bakes.list.map((bake) => ({ ...bake, locked: false })),
        bakes.unreadable,
      );
  }

  get duration(): number {
    return this.frames.duration;
  }

  get residency(): Uint8Array {
    return this.frames.residency;
  }

  /** Frames whose keys and costs are not known yet. */
  get hasUnkeyed(): boolean {
    return this.nextUnkeyed < this.duration;
  }

  get hasUnestimated(): boolean {
    return this.nextUnestimated < this.duration;
  }

  isInMemory(frame: FrameNumber): boolean {
    return (this.residency[frame]! & IN_MEMORY) !== 0;
  }

  isOnDisk(frame: FrameNumber): boolean {
    return (this.residency[frame]! & ON_DISK) !== 0;
  }

  has(key: ContentKey): boolean {
    return this.frames.has(key);
  }

  framesOf(key: ContentKey): readonly FrameNumber[] {
    return this.frames.framesOf(key);
  }

  nextUse(...of: Parameters<Timeline["nextUse"]>): number {
    return this.frames.nextUse(...of);
  }

  distance(...of: Parameters<Timeline["distance"]>): number | undefined {
    return this.frames.distance(...of);
  }

  isIn(...of: Parameters<Timeline["isIn"]>): boolean {
    return this.frames.isIn(...of);
  }

  /** What is held of a frame in which a bake is played stays of use: it goes by its live key where that is held. */
  keyOf(frame: FrameNumber): ContentKey {
    const known = this.frames.keyOf(frame);
    if (known) return known;
    const { key: baked } = this.graphOf(frame);
    const live = this.liveKeyOf(frame, baked);
    const key = live === undefined ? baked : this.choose(frame, { live, baked }, (one) => this.tiersOf(one));
    const held = this.tiersOf(key);
    this.frames.setKey(frame, key, held);
    this.heldAtFirst[frame] = held;
    this.place([frame], baked);
    return key;
  }

  private tiersOf(key: ContentKey): number {
    return (this.tiers.inMemory(key) ? IN_MEMORY : 0) | (this.tiers.onDisk(key) ? ON_DISK : 0);
  }

  /**
   * Notes and returns the live key of a frame in which something baked is played that is up to date, or something is
   * left out whose file cannot be read.
   */
  private liveKeyOf(frame: FrameNumber, baked: ContentKey): ContentKey | undefined {
    const { document, settings, bakes, upToDate } = this;
    if (bakes.list.length === 0 && settings.missing.length === 0) return undefined;
    const live = buildGraph(document, frame, { ...settings, missing: [] }, NO_BAKES).key;
    if (live === baked || (upToDate && buildGraph(document, frame, settings, upToDate).key !== baked)) return undefined;
    this.alternatives.set(frame, { baked, live });
    for (const key of [live, baked]) this.byAlternative.set(key, [...(this.byAlternative.get(key) ?? []), frame]);
    return live;
  }

  graphOf(frame: FrameNumber): FrameGraph {
    const known = this.recent.find((one) => one.frame === frame);
    if (known) return known.graph;
    const graph = buildGraph(this.document, frame, this.settings, this.bakes);
    this.recent = [{ frame, graph }, ...this.recent.slice(0, 1)];
    return graph;
  }

  /** Key of a frame at another size, for sharpening and for scrubbing. */
  keyAt(frame: FrameNumber, fraction: number): ContentKey {
    return buildGraph(this.document, frame, { ...this.settings, fraction }, this.bakes).key;
  }

  mark(key: ContentKey, tier: number, held: boolean): void {
    this.frames.mark(key, tier, held);
    if (this.alternatives.size > 0) this.settle(key, tier, held);
    this.changed = true;
  }

  /** Frames that can show a key go by whichever of theirs is the best to have. */
  private settle(key: ContentKey, tier: number, held: boolean): void {
    for (const frame of this.byAlternative.get(key) ?? []) {
      const keys = this.alternatives.get(frame)!;
      const tiersOf = (one: ContentKey) => {
        const tiers = this.tiersOf(one);
        return one === key ? (held ? tiers | tier : tiers & ~tier) : tiers;
      };
      const best = this.choose(frame, keys, tiersOf);
      if (best !== this.frames.keyOf(frame)) this.frames.setKey(frame, best, tiersOf(best));
    }
  }

  /** With a file that cannot be read the frame can only be had as it is held. */
  private choose(frame: FrameNumber, keys: Alternatives, tiersOf: (key: ContentKey) => number): ContentKey {
    if (this.settings.missing.length === 0) return bestOf(keys, tiersOf);
    const isHeld = tiersOf(keys.live) !== 0;
    if (isHeld) this.failed.add(frame);
    else this.failed.delete(frame);
    return isHeld ? keys.live : keys.baked;
  }

  /** Whether a model can estimate what the composition holds, by some frames of it. */
  isKnownTo(model: CostModel): boolean {
    const frames = POINTS.map((share) => Math.floor(share * this.duration));
    return frames.every((frame) => inOrder(this.graphOf(frame).root).every(({ kind }) => model.knows(kind)));
  }

  /** Keys of the branches that look the same in every frame, below one frame. */
  stillKeys(frame: FrameNumber): ReadonlySet<ContentKey> {
    return stillKeys(this.document, frame, this.settings, this.bakes, (of) => this.graphOf(of));
  }

  /** Takes in what rendering a frame took; the frame may be of an earlier state. */
  measure(
    key: ContentKey,
    timing: FrameTiming,
    still: ReadonlySet<ContentKey>,
    taken: readonly TakenBranch[] = [],
  ): void {
    this.costs.record(key, timing, still, taken);
    const frames = this.frames.framesOf(key);
    if (frames.length > 0) this.place(frames, key);
  }

  private place(frames: readonly FrameNumber[], key: ContentKey): void {
    const first = frames[0]!;
    this.costs.place(frames, key, this.graphOf(first), this.stillKeys(first));
    this.changed = true;
  }

  /** Computes keys and costs in order until the time is used up. */
  computeKeys(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    while (this.hasUnkeyed && performance.now() < until) this.keyOf(this.nextUnkeyed++);
  }

  /** Frames that were not measured twice are looked at again, by what the cost model knows now. */
  estimateAgain(): void {
    this.nextUnestimated = 0;
  }

  /** Estimates in order until the time is used up. */
  estimate(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    while (this.nextUnestimated < this.nextUnkeyed && performance.now() < until) {
      const frame = this.nextUnestimated++;
      const key = this.keyOf(frame);
      if (!this.costs.isSettled(frame)) this.place([frame], this.alternatives.get(frame)?.baked ?? key);
    }
    this.changed = true;
  }

  /** Frames that show something else than before, as far as both know: how many were held, and how many are now. */
  compareWith(before: PreviewTimeline): { lost: number; regained: number } {
    let lost = 0;
    let regained = 0;
    for (let frame = 0; frame < this.duration; frame++) {
      const [was, is] = [before.frames.keyOf(frame), this.frames.keyOf(frame)];
      if (was === undefined || is === undefined || was === is) continue;
      if (this.heldAtFirst[frame]) regained++;
      else if (before.residency[frame]) lost++;
    }
    return { lost, regained };
  }

  /** Keys of the frames that are known so far; of those in which something baked is played, of the live frame too. */
  *keys(): Generator<ContentKey> {
    for (let frame = 0; frame < this.nextUnkeyed; frame++) {
      const { baked, live } = this.alternatives.get(frame) ?? {};
      yield baked ?? this.keyOf(frame);
      if (live !== undefined) yield live;
    }
  }

  /** A copy for the screens, or undefined when nothing has changed since the last one. @param force whether it has */
  takeChanges(force = false): TimelineData | undefined {
    if (!this.changed && !force) return undefined;
    this.changed = false;
    const { costs, measured } = this.costs;
    return { costs: costs.slice(), measured: measured.slice(), residency: this.residency.slice() };
  }
}

/** In memory before on disk, or the frame would be rendered for ever; and live before baked. */
function bestOf({ live, baked }: Alternatives, tiersOf: (key: ContentKey) => number): ContentKey {
  const inMemory = [live, baked].find((key) => tiersOf(key) & IN_MEMORY);
  return inMemory ?? (tiersOf(live) ? live : baked);
}
