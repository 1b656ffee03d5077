import type { Bytes } from "../machine";
import type { ContentKey } from "../graph";
import type { Milliseconds } from "../composition";

/** A finished frame, or a layer's finished pixels. */
export type EntryKind = "frame" | "branch";

/** What the rules know of a held or an incoming entry. */
export interface Candidate {
  readonly key: ContentKey;
  readonly kind: EntryKind;
  readonly bytes: Bytes;
  /** What rendering it again costs. */
  readonly costMs: Milliseconds;
  /** How often it was shown, or stood in for rendering. */
  readonly uses: number;
  /** Value of the cache's clock when it was last used. */
  readonly lastUse: number;
  /** The aging term of GreedyDual: the worth of what was evicted last before its last use. */
  readonly base: number;
}

/** What decides who goes first. */
export type EvictionContext =
  | {
      /** Looped or straight playback: the future is known. */
      readonly mode: "playback";
      /** Frames until a key is needed; Infinity when it is not. */
      readonly nextUse: (key: ContentKey) => number;
      readonly isPinned: (key: ContentKey) => boolean;
    }
  | {
      readonly mode: "free";
      /** Frames from the playhead, or undefined when the key is not on the timeline. */
      readonly distance: (key: ContentKey) => number | undefined;
      readonly inRange: (key: ContentKey) => boolean;
      /** Frames of the timeline that show it, as far as that is known. */
      readonly demand: (key: ContentKey) => number;
      readonly isPinned: (key: ContentKey) => boolean;
    }
  | {
      /** The plain rule, for comparison. */
      readonly mode: "leastRecentlyUsed";
    };

// Distance at which a frame's nearness has halved.
const NEAR_FRAMES = 48;
// A frame that the present timeline does not show is worth this part of one that it shows beside the playhead.
const OFF_TIMELINE = 0.02;
// A branch that more frames show than this is not worth more for it: only so many are rendered again at a time.
const MOST_DEMAND = 48;
// Above everything that the rules give, and small enough to leave their differences in a float64.
const PINNED = 1e9;
const NOT_NEEDED = 1e6;

/**
 * GreedyDual-Size with frequency: base + uses · cost / bytes, weighed by how likely the frame is to be wanted.
 * Sources: P. Cao and S. Irani, "Cost-aware WWW proxy caching algorithms" (1997); L. Cherkasova, "Improving
 * WWW proxies performance with Greedy-Dual-Size-Frequency caching policy" (1998).
 */
export function greedyDualWorth(
  candidate: Pick<Candidate, "base" | "uses" | "costMs" | "bytes">,
  likelihood: number,
): number {
  return (
    candidate.base + (Math.max(1, candidate.uses) * Math.max(0.01, candidate.costMs) * likelihood) / candidate.bytes
  );
}

/** What an entry's worth away from playback is made of. */
export interface WorthParts {
  /** Undefined when the timeline does not show it. */
  readonly distance: number | undefined;
  /** 1 beside the playhead, falling to 0 with distance. */
  readonly nearness: number;
  readonly inRange: boolean;
  readonly demand: number;
}

/** How likely an entry is to be wanted, taken apart. */
export function worthParts(key: ContentKey, context: EvictionContext & { readonly mode: "free" }): WorthParts {
  const distance = context.distance(key);
  return {
    distance,
    nearness: distance === undefined ? OFF_TIMELINE : 1 / (1 + distance / NEAR_FRAMES),
    inRange: context.inRange(key),
    demand: Math.min(MOST_DEMAND, Math.max(1, context.demand(key))),
  };
}

/**
 * How much an entry is worth holding; the lowest goes first, pinned ones last of all. During playback what is needed
 * last goes first (L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", 1966); only
 * finished frames are shown then, so that branches go before all of them.
 */
export function worth(candidate: Candidate, context: EvictionContext): number {
  if (context.mode === "leastRecentlyUsed") return candidate.lastUse;
  const pinned = context.isPinned(candidate.key) ? PINNED : 0;
  if (context.mode === "playback") {
    const next = Math.min(NOT_NEEDED, context.nextUse(candidate.key));
    return pinned - next - (candidate.kind === "branch" ? 2 * NOT_NEEDED : 0);
  }
  const { nearness, inRange, demand } = worthParts(candidate.key, context);
  return pinned + greedyDualWorth(candidate, nearness * (inRange ? 2 : 1) * demand);
}
