import {
  PIXEL_BYTES,
  pixelCount,
  type Branch,
  type Bytes,
  type ContentKey,
  type CostModel,
  type EvictionContext,
  type FrameNumber,
  type FrameRange,
  type GraphNode,
  type Milliseconds,
} from "@kinetocache/core";
import type { HeldBranch, HeldFrames } from "./heldFrames";

/** What goes to a worker with a frame: branches that are lent to it, and keys of those that are wanted back. */
export interface Exchange {
  readonly held: readonly HeldBranch[];
  readonly keep: readonly ContentKey[];
}

export const NO_EXCHANGE: Exchange = { held: [], keep: [] };

interface Note {
  readonly layer: string;
  /** Frames that are known to show it, the latest ones. */
  readonly frames: Set<FrameNumber>;
  /** The timeline that showed it last. */
  timeline: number;
}

// Bytes copied in a millisecond, as measured out of a worker's memory: what keeping a branch costs.
const COPIED_BYTES = 2_500_000;
// Keeping a branch must be worth more than copying it out and in again.
const WORTH_COPIES = 1.5;
const MOST_FRAMES = 64;
const MOST_NOTES = 4096;

/** Decides which layers' finished pixels are kept, and tells the cache when each is wanted. */
export class BranchDesk {
  private readonly notes = new Map<ContentKey, Note>();
  private timeline = 0;
  /**
   * Whether the document was edited since it was opened. Until then whole frames are all that will be asked for;
   * from then on the layers that were not edited are likely to be asked for again.
   */
  isEdited = false;

  constructor(private readonly held: HeldFrames) {}

  /** Another state of the document is played: what it does not show counts as off the timeline. */
  startTimeline(): void {
    this.timeline++;
  }

  /**
   * What a worker is given for a frame, and what it is to give back.
   * @param wanted layers whose pixels are kept whatever they cost: marked, pinned, asked for, or compositions
   * @param context undefined while nothing may be kept, as during playback
   */
  exchange(
    root: GraphNode,
    frame: FrameNumber,
    model: CostModel,
    wanted: ReadonlySet<string>,
    context: EvictionContext | undefined,
  ): Exchange {
    const held: HeldBranch[] = [];
    const keep: ContentKey[] = [];
    for (const node of root.inputs) {
      if (node.layer === null || node.kind === "sequence") continue;
      this.note(node.key, node.layer, frame);
      const lent = this.held.lend(node.key);
      if (lent) held.push(lent);
      else if (context && this.isWorthKeeping(node, model, wanted, context)) keep.push(node.key);
    }
    return { held, keep };
  }

  /** Notes that a frame shows a branch. */
  note(key: ContentKey, layer: string, frame: FrameNumber): void {
    let note = this.notes.get(key);
    if (!note) {
      if (this.notes.size >= MOST_NOTES) this.forget();
      note = { layer, frames: new Set(), timeline: this.timeline };
      this.notes.set(key, note);
    }
    note.timeline = this.timeline;
    if (note.frames.size < MOST_FRAMES) note.frames.add(frame);
  }

  /** Frames to the nearest one that shows a branch; undefined when it is none, or the timeline does not show it. */
  distance(key: ContentKey, playhead: FrameNumber): number | undefined {
    const note = this.noteOf(key);
    if (!note) return undefined;
    let nearest = Infinity;
    for (const frame of note.frames) nearest = Math.min(nearest, Math.abs(frame - playhead));
    return nearest;
  }

  isIn(key: ContentKey, range: FrameRange): boolean {
    for (const frame of this.noteOf(key)?.frames ?? []) if (frame >= range.in && frame < range.out) return true;
    return false;
  }

  /** Frames that are known to show it. */
  demand(key: ContentKey): number {
    return this.noteOf(key)?.frames.size ?? 0;
  }

  layerOf(key: ContentKey): string | undefined {
    return this.noteOf(key)?.layer;
  }

  /** Takes in a branch that was rendered. @returns whether it is held now */
  admit(branch: Branch, costMs: Milliseconds, context: EvictionContext): boolean {
    const layer = this.notes.get(branch.key)?.layer;
    if (layer === undefined) throw new Error(`Nobody asked for branch ${branch.key}`);
    return this.held.putBranch({ ...branch, layer, costMs }, context);
  }

  private noteOf(key: ContentKey): Note | undefined {
    const note = this.notes.get(key);
    return note?.timeline === this.timeline ? note : undefined;
  }

  private isWorthKeeping(
    node: GraphNode,
    model: CostModel,
    wanted: ReadonlySet<string>,
    context: EvictionContext,
  ): boolean {
    if (this.held.has(node.key)) return false;
    const bytes: Bytes = pixelCount(node.window) * PIXEL_BYTES;
    const costMs = model.estimateFrame(node, NOTHING).total;
    const isDear = costMs > (WORTH_COPIES * bytes) / COPIED_BYTES;
    if (!wanted.has(node.layer!) && !(isDear && this.isEdited)) return false;
    return this.held.wouldTake(node.key, bytes, costMs, context);
  }

  /** Forgets what is not held. */
  private forget(): void {
    for (const key of this.notes.keys()) if (!this.held.has(key)) this.notes.delete(key);
  }
}

const NOTHING: ReadonlySet<ContentKey> = new Set();
