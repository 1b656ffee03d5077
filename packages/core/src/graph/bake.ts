import type { Depth, FrameNumber, FrameRange } from "../composition";
import type { ContentKey } from "./key";
import type { RendererClass } from "./settings";

/** What is baked: one layer of a composition, or without a layer the whole composition. */
export interface BakeTarget {
  readonly composition: string;
  readonly layer?: string;
}

/** Pictures on disk that are played in place of a branch. */
export interface Bake {
  readonly id: string;
  readonly target: BakeTarget;
  /** Frames of the target's composition. */
  readonly range: FrameRange;
  /** Size that it was baked at, as a fraction of the edge. */
  readonly fraction: number;
  readonly depth: Depth;
  /** Whether its files are packed. */
  readonly packed: boolean;
  readonly renderer: RendererClass;
  /** Where its files are, and the id of the stored sequence there. */
  readonly location: string;
  readonly sequence: string;
  /** Key of the live branch when its picture was made, one for each frame of the range. */
  readonly keys: readonly ContentKey[];
  /** Whether every picture was stored and checked; a part is never played. */
  readonly complete: boolean;
  readonly enabled: boolean;
  /** The bake that goes when this one is complete. */
  readonly replaces?: string;
  /** Played although what lies underneath has changed. */
  readonly locked: boolean;
}

/** One picture of a stored sequence. */
export interface StoredFrame {
  readonly sequence: string;
  readonly frame: FrameNumber;
}

/** Names one stored picture. */
export function storedFrameName({ sequence, frame }: StoredFrame): string {
  return `${sequence}/${frame}`;
}

/** The bakes of a document, found by what they stand for. */
export class Bakes {
  private readonly byTarget = new Map<string, Bake[]>();

  /** @param unreadable names of stored frames that are missing or altered: the live branch shows there */
  constructor(
    readonly list: readonly Bake[],
    readonly unreadable: ReadonlySet<string> = new Set(),
  ) {
    for (const bake of list) {
      if (!bake.enabled || !bake.complete) continue;
      const name = targetName(bake.target);
      this.byTarget.set(name, [...(this.byTarget.get(name) ?? []), bake]);
    }
  }

  /**
   * The bake that shows a target at a frame, if one does: a locked one whatever lies underneath, another one when
   * what it was made from is what would be rendered.
   * @param liveKey key of the live branch as a bake was made of it
   */
  find(target: BakeTarget, frame: FrameNumber, liveKey: (bake: Bake) => ContentKey | undefined): Bake | undefined {
    return this.byTarget.get(targetName(target))?.find((bake) => {
      if (frame < bake.range.in || frame >= bake.range.out) return false;
      if (this.unreadable.has(storedFrameName({ sequence: bake.sequence, frame: frame - bake.range.in }))) return false;
      if (bake.locked) return bake.target.composition === target.composition;
      return liveKey(bake) === bake.keys[frame - bake.range.in];
    });
  }
}

export const NO_BAKES = new Bakes([]);

// A layer is found by its id alone: variants are copies of each other, and equal keys mean equal pictures.
function targetName({ composition, layer }: BakeTarget): string {
  return layer === undefined ? `composition:${composition}` : `layer:${layer}`;
}
