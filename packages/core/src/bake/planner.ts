import type { Milliseconds } from "../composition";
import type { Bytes } from "../machine";

/** Something that can be baked, with what it costs live and baked. */
export interface BakeCandidate {
  readonly id: string;
  /** Candidates that it is part of: when one of these is baked, this one need not be. */
  readonly within?: readonly string[];
  /** Live cost, one a frame of the range. */
  readonly costs: ArrayLike<Milliseconds>;
  /** Cost of reading and placing its baked frame. */
  readonly readMs: Milliseconds;
  /** Space of all its baked frames. */
  readonly bytes: Bytes;
}

export interface BakePlan {
  /** Ids of what to bake. */
  readonly chosen: readonly string[];
  readonly bytes: Bytes;
  /** Frames within the budget before and then. */
  readonly withinBefore: number;
  readonly withinThen: number;
  /** Mean cost of a frame before and then. */
  readonly meanBeforeMs: Milliseconds;
  readonly meanThenMs: Milliseconds;
}

/** Σ over frames of max(0, cost of the branch − cost of reading the baked frame). */
export function bakeGain({ costs, readMs }: Pick<BakeCandidate, "costs" | "readMs">): Milliseconds {
  let gain = 0;
  for (let frame = 0; frame < costs.length; frame++) gain += Math.max(0, costs[frame]! - readMs);
  return gain;
}

// All choices among so many are tried: 2¹⁴ of them at the most, and those that hold a part beside its whole are left out.
const MOST_CANDIDATES = 14;

/**
 * The choice of branches that brings the most frames under the budget within the space there is: a knapsack in which
 * baking a whole makes baking its parts pointless. Among equals the one that saves the most time, then
 * the smallest. Every choice is tried; of more than 14 branches that gain anything, those that gain the most for
 * their size are considered.
 * @param totals cost of each frame as it is
 */
export function planBakes(
  candidates: readonly BakeCandidate[],
  totals: ArrayLike<Milliseconds>,
  budgetMs: Milliseconds,
  roomBytes: Bytes,
): BakePlan {
  const useful = candidates
    .filter((candidate) => candidate.bytes <= roomBytes && bakeGain(candidate) > 0)
    .sort((a, b) => bakeGain(b) / b.bytes - bakeGain(a) / a.bytes)
    .slice(0, MOST_CANDIDATES);
  const ancestors = ancestry(candidates);
  const current = Float64Array.from(totals);
  const before = standing(current, budgetMs);
  let best: Choice = { chosen: [], bytes: 0, ...before };

  const search = (index: number, chosen: readonly BakeCandidate[], bytes: Bytes) => {
    const here: Choice = { chosen, bytes, ...standing(current, budgetMs) };
    if (isBetter(here, best)) best = here;
    for (let next = index; next < useful.length; next++) {
      const candidate = useful[next]!;
      if (bytes + candidate.bytes > roomBytes) continue;
      if (chosen.some((other) => isRelated(candidate.id, other.id, ancestors))) continue;
      bake(current, candidate, 1);
      search(next + 1, [...chosen, candidate], bytes + candidate.bytes);
      bake(current, candidate, -1);
    }
  };
  search(0, [], 0);
  return {
    chosen: best.chosen.map(({ id }) => id),
    bytes: best.bytes,
    withinBefore: before.within,
    withinThen: best.within,
    meanBeforeMs: before.totalMs / Math.max(1, totals.length),
    meanThenMs: best.totalMs / Math.max(1, totals.length),
  };
}

interface Choice {
  readonly chosen: readonly BakeCandidate[];
  readonly bytes: Bytes;
  readonly within: number;
  readonly totalMs: Milliseconds;
}

// Times that differ by less are the same: sums come out a little different in another order.
const SAME_MS = 1e-6;

function isBetter(a: Choice, b: Choice): boolean {
  if (a.within !== b.within) return a.within > b.within;
  if (Math.abs(a.totalMs - b.totalMs) > SAME_MS) return a.totalMs < b.totalMs;
  return a.bytes < b.bytes;
}

function standing(costs: Float64Array, budgetMs: Milliseconds): Pick<Choice, "within" | "totalMs"> {
  let within = 0;
  let totalMs = 0;
  for (const ms of costs) {
    if (ms <= budgetMs + SAME_MS) within++;
    totalMs += ms;
  }
  return { within, totalMs };
}

/** Puts a baked branch in place of the live one, or takes it out again. */
function bake(costs: Float64Array, { costs: own, readMs }: BakeCandidate, sign: 1 | -1): void {
  for (let frame = 0; frame < costs.length; frame++) costs[frame]! -= sign * (own[frame]! - readMs);
}

function ancestry(candidates: readonly BakeCandidate[]): ReadonlyMap<string, ReadonlySet<string>> {
  const parents = new Map(candidates.map(({ id, within }) => [id, within ?? []]));
  return new Map(
    candidates.map(({ id }) => {
      const above = new Set<string>();
      const climb = (one: string) => {
        for (const parent of parents.get(one) ?? []) {
          if (above.has(parent)) continue;
          above.add(parent);
          climb(parent);
        }
      };
      climb(id);
      return [id, above];
    }),
  );
}

function isRelated(a: string, b: string, ancestors: ReadonlyMap<string, ReadonlySet<string>>): boolean {
  return (ancestors.get(a)?.has(b) ?? false) || (ancestors.get(b)?.has(a) ?? false);
}
