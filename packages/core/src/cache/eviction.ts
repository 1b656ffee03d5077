import type { Bytes } from "../machine";
import type { ContentKey } from "../graph";
import type { Milliseconds } from "../composition";

/** What the rules know of a held or an incoming frame. */
export interface Candidate {
  readonly key: ContentKey;
  readonly bytes: Bytes;
  /** What rendering it again costs. */
  readonly costMs: Milliseconds;
  /** How often it was shown. */
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
    }
  | {
      readonly mode: "free";
      /** Frames from the playhead, or undefined when the key is not on the timeline. */
      readonly distance: (key: ContentKey) => number | undefined;
      readonly inRange: (key: ContentKey) => boolean;
    }
  | {
      /** The plain rule, for comparison. */
      readonly mode: "leastRecentlyUsed";
    };

// Distance at which a frame's nearness has halved.
const NEAR_FRAMES = 48;
// A frame that the present timeline does not show is worth this part of one that it shows beside the playhead.
const OFF_TIMELINE = 0.02;

/**
 * GreedyDual-Size with frequency: base + uses · cost / bytes, weighed by how likely the frame is to be wanted.
 * Sources: P. Cao and S. Irani, "Cost-aware WWW proxy caching algorithms" (1997); L. Cherkasova, "Improving
 * WWW proxies performance with Greedy-Dual-Size-Frequency caching policy" (1998).
 */
export function greedyDualWorth(candidate: Candidate, likelihood: number): number {
  return (
    candidate.base + (Math.max(1, candidate.uses) * Math.max(0.01, candidate.costMs) * likelihood) / candidate.bytes
  );
}

/**
 * How much a frame is worth holding; the lowest goes first. During playback what is needed last goes first
 * (L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", 1966).
 */
export function worth(candidate: Candidate, context: EvictionContext): number {
  switch (context.mode) {
    case "playback":
      return -context.nextUse(candidate.key);
    case "leastRecentlyUsed":
      return candidate.lastUse;
    case "free": {
      const distance = context.distance(candidate.key);
      const nearness = distance === undefined ? OFF_TIMELINE : 1 / (1 + distance / NEAR_FRAMES);
      return greedyDualWorth(candidate, nearness * (context.inRange(candidate.key) ? 2 : 1));
    }
  }
}
