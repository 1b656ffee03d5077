import type { Bytes } from "../machine";
import type { ContentKey } from "../graph";
import type { Milliseconds } from "../composition";
import { faded, HALF_LIVES, type Usage } from "./usage";

/** A finished frame, or a layer's finished pixels. */
export type EntryKind = "frame" | "branch";

/** What the rules know of a held or an incoming entry. */
export interface Candidate {
  readonly key: ContentKey;
  readonly kind: EntryKind;
  readonly bytes: Bytes;
  /** What rendering it again costs. */
  readonly costMs: Milliseconds;
  readonly usage: Usage;
}

/** The user moves as he likes: what comes next is likely, not known. */
export interface FreeContext {
  readonly mode: "free";
  /** Frames from the playhead, or undefined when the key is not on the timeline. */
  readonly distance: (key: ContentKey) => number | undefined;
  readonly inRange: (key: ContentKey) => boolean;
  /** Frames of the timeline that show it, as far as that is known. */
  readonly demand: (key: ContentKey) => number;
  readonly isPinned: (key: ContentKey) => boolean;
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
  | FreeContext
  | {
      /** The plain rule, for comparison. */
      readonly mode: "leastRecentlyUsed";
    };

/**
 * What an entry's likelihood is judged by away from playback: how near it is, in frames and in time, which holds
 * while the user scrubs, or how often it was used, by one of `HALF_LIVES`, which holds while he jumps about.
 */
export type Habit = "near" | 0 | 1 | 2;

export const HABITS: readonly Habit[] = ["near", 0, 1, 2];

// A frame away from the playhead counts as so many uses ago.
const FRAME_AGE = 2.5;
// What the present timeline does not show is as likely to be wanted as what was shown so many frames ago.
const OFF_TIMELINE = 2048;
// A layer's pixels that one frame shows, and that no frame has needed yet, are wanted only after an edit of another layer.
const UNASKED_BRANCH = 256;
// What is in the in–out range is as likely to be wanted as what was shown so many times more recently.
const IN_RANGE = 2;
// A branch that more frames show than this is not worth more for it: only so many are rendered again at a time.
const MOST_DEMAND = 48;
// How much cost and size count beside likelihood: with the whole of them, heavy frames that nobody asks for stay.
const COST_SHARE = 0.22;
// Above everything that the rules give, and small enough to leave their differences in a float64.
const PINNED = 1e9;
const NOT_NEEDED = 1e6;

/** No entry that is not pinned is worth more. */
export const HIGHEST_UNPINNED = PINNED / 2;

/** What an entry's worth away from playback is made of. */
export interface WorthParts {
  /** Undefined when the timeline does not show it. */
  readonly distance: number | undefined;
  readonly inRange: boolean;
  readonly demand: number;
}

/** What the timeline says of an entry. */
export function worthParts(key: ContentKey, context: FreeContext): WorthParts {
  return {
    distance: context.distance(key),
    inRange: context.inRange(key),
    demand: Math.min(MOST_DEMAND, Math.max(1, context.demand(key))),
  };
}

/**
 * How likely an entry is to be wanted soon, 1 being as likely as one that was just shown.
 * By how near it is: 1 / (1 + uses since its last + 2.5 · frames from the playhead). By how often it was used: the
 * combined recency and frequency of D. Lee et al., "LRFU: a spectrum of policies that subsumes the least recently
 * used and least frequently used policies" (2001). What was never used is judged by how near it is.
 * @param now uses until now
 */
export function likelihood({ kind, usage }: Candidate, parts: WorthParts, habit: Habit, now: number): number {
  const { distance, inRange, demand } = parts;
  const age = now - usage.at;
  const near = 1 / (1 + age + FRAME_AGE * (distance ?? 0));
  let likely = near;
  if (habit !== "near") {
    const often = faded(usage.credits[habit]!, age, HALF_LIVES[habit]);
    likely = usage.isUnseen ? Math.max(often, near) : often;
  }
  if (distance === undefined) likely /= OFF_TIMELINE;
  if (kind === "branch" && usage.uses === 0 && demand === 1) likely /= UNASKED_BRANCH;
  return likely * (inRange ? IN_RANGE : 1) * demand;
}

/**
 * How much an entry is worth holding; the lowest goes first, pinned ones last of all. During playback what is needed
 * last goes first (L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", 1966); only
 * finished frames are shown then, so that branches go before all of them. Away from it, likelihood is weighed by what
 * a byte costs to make again, as in GreedyDual-Size (P. Cao and S. Irani, "Cost-aware WWW proxy caching algorithms",
 * 1997); the logarithm keeps faint ones apart.
 * @param habit what likelihood is judged by @param now uses until now
 */
export function worth(candidate: Candidate, context: EvictionContext, habit: Habit, now: number): number {
  if (context.mode === "leastRecentlyUsed") return candidate.usage.order;
  const pinned = context.isPinned(candidate.key) ? PINNED : 0;
  if (context.mode === "playback") {
    const next = Math.min(NOT_NEEDED, context.nextUse(candidate.key));
    return pinned - next - (candidate.kind === "branch" ? 2 * NOT_NEEDED : 0);
  }
  const { costMs, bytes } = candidate;
  const likely = likelihood(candidate, worthParts(candidate.key, context), habit, now);
  // Beyond what a float64 holds it was used too long ago to matter.
  return pinned + Math.log2(likely + Number.MIN_VALUE) + COST_SHARE * Math.log2(Math.max(0.01, costMs) / bytes);
}
