import { readFileSync } from "node:fs";
import { simulateLoop } from "@kinetocache/core";
import type { Figure, Measure } from "./figure";
import { adaptiveReplacement, leastFrequentlyUsed, leastRecentlyUsed, optimalHits, own, type Policy } from "./policies";
import { rounded } from "./ratio";
import { jumping, scrubbing, type Trace } from "./traces";

const ROOM = 100;

/** Hits on loops longer than memory against the optimum, and on a recorded scrubbing session against the plain rule. */
export const hitShare: Measure = () => {
  const figures: Record<string, Figure> = {};
  for (const times of [1.1, 1.5, 2]) {
    const frames = Math.round(ROOM * times);
    const passes = 8;
    const loop = { frames, room: ROOM, passes, budgetMs: 1000 / 24, renderMs: 60, workers: 2 };
    const { hits } = simulateLoop({ ...loop, eviction: "playback" }).at(-1)!;
    const sequence = Array.from({ length: frames * passes }, (_, at) => at % frames);
    const best = optimalHits(sequence, ROOM).filter((at) => at >= frames * (passes - 1)).length;
    figures[`loop of ${times} times memory`] = {
      value: rounded(hits / best),
      unit: "share of the optimum",
      limit: "at least 0.97",
      hits,
      optimum: best,
      leastRecentlyUsed: simulateLoop({ ...loop, eviction: "leastRecentlyUsed" }).at(-1)!.hits,
    };
  }
  const session = { ...(JSON.parse(readFileSync("bench/scrubbing.json", "utf8")) as Omit<Trace, "room">), room: 60 };
  const mine = own(session);
  const plain = leastRecentlyUsed(session);
  const optimum = optimalHits(session.positions, session.room).length;
  const all = session.positions.length;
  figures["recorded scrubbing"] = {
    value: rounded(plain.renderMs / mine.renderMs),
    unit: "times less rendering than least recently used",
    limit: "above 1",
    hitShare: rounded(mine.hits / all),
    hitShareLeastRecentlyUsed: rounded(plain.hits / all),
    hitShareOptimum: rounded(optimum / all),
    renderMs: rounded(mine.renderMs),
    renderMsLeastRecentlyUsed: rounded(plain.renderMs),
  };
  return Promise.resolve(figures);
};

const TRACES = 40;
const OTHERS: Readonly<Record<string, Policy>> = { leastRecentlyUsed, leastFrequentlyUsed, adaptiveReplacement };

const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length;

/** Mean share of the optimum's hits on random traces, against the best of the usual policies, and the worst trace. */
const againstOthers =
  (make: (seed: number) => Trace): Measure =>
  () => {
    const policies = Object.entries({ own, ...OTHERS });
    const served = Array.from({ length: TRACES }, (_, seed) => {
      const trace = make(seed);
      const optimum = optimalHits(trace.positions, trace.room).length;
      return policies.map(([, policy]) => {
        const { hits, renderMs } = policy(trace);
        return { share: hits / optimum, renderMs };
      });
    });
    const shares = policies.map((_, at) => mean(served.map((policies) => policies[at]!.share)));
    const renderMs = policies.map((_, at) => mean(served.map((policies) => policies[at]!.renderMs)));
    const worst = Math.min(
      ...served.map(([mine, ...others]) => mine!.share / Math.max(...others.map(({ share }) => share))),
    );
    const named = (values: readonly number[]) =>
      Object.fromEntries(policies.map(([name], at) => [name, rounded(values[at]!)]));
    return Promise.resolve({
      "mean share": {
        value: rounded(shares[0]! - Math.max(...shares.slice(1))),
        unit: "own share of the optimum minus that of the best other policy",
        limit: "at least -0.01",
        traces: TRACES,
        ...named(shares),
      },
      "worst trace": { value: rounded(worst), unit: "share of the best other policy's hits", limit: "at least 0.9" },
      "render time": {
        value: rounded(Math.min(...renderMs.slice(1)) / renderMs[0]!),
        unit: "times less rendering than with the best other policy",
        limit: "at least 1",
        ...named(renderMs),
      },
    });
  };

/** Dragging the pointer to and fro. */
export const hitShareScrub = againstOthers(scrubbing);

/** Jumps from place to place. */
export const hitShareJumps = againstOthers(jumping);
