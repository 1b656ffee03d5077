import {
  documentKey,
  frameBudgetMs,
  framesPerSecond,
  IN_MEMORY,
  isRealTime,
  type FrameRange,
  type TakeSummary,
} from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import type { PreviewSettings, TimelineData } from "../engine/protocol";
import { percentText, rateText } from "./format";
import { database, type StoredTake } from "../data/database";
import { useEngine } from "../data/engineStore";
import { useWorkspace } from "../data/workspace";

/** Costs and residency of the in–out range, summed up. */
interface RangeFigures {
  readonly frames: number;
  readonly inMemory: number;
  /** Frames whose cost is above the budget, and frames whose cost is known at all. */
  readonly overBudget: number;
  readonly known: number;
  readonly meanMs: number;
  /** Whether every cost of the range was measured. */
  readonly measured: boolean;
}

/** Where the open composition stands. */
export interface Standing extends RangeFigures {
  readonly range: FrameRange;
  /** The last take, while it speaks for the present state. */
  readonly summary: TakeSummary | undefined;
  readonly isRealTime: boolean;
  readonly answer: string;
  readonly detail: string;
}

function sumUp({ costs, measured, residency }: TimelineData, range: FrameRange, budgetMs: number): RangeFigures {
  let [inMemory, overBudget, known, total, estimated] = [0, 0, 0, 0, 0];
  for (let frame = range.in; frame < range.out; frame++) {
    if (residency[frame]! & IN_MEMORY) inMemory++;
    const cost = costs[frame]!;
    if (cost > 0) known++;
    if (cost > budgetMs) overBudget++;
    if (measured[frame] === 0) estimated++;
    total += cost;
  }
  const frames = range.out - range.in;
  return { frames, inMemory, overBudget, known, meanMs: total / Math.max(1, known), measured: estimated === 0 };
}

interface Present {
  readonly state: string;
  readonly settings: PreviewSettings;
  readonly range: FrameRange;
  readonly figures: RangeFigures;
}

/** A take speaks for the present while nothing that decides its outcome has changed since. */
function isOfNow(take: StoredTake, { state, settings, range, figures }: Present): boolean {
  return (
    take.document.state === state &&
    take.settings.fraction === settings.fraction &&
    take.settings.effects === settings.effects &&
    take.settings.parallel === settings.parallel &&
    take.settings.effectsOn === settings.effectsOn &&
    take.settings.pacing === settings.pacing &&
    take.range.in === range.in &&
    take.range.out === range.out &&
    (figures.inMemory < figures.frames || take.heldAtStart.memory >= figures.frames)
  );
}

function answerOf(
  { frames, inMemory, overBudget, known }: RangeFigures,
  summary: TakeSummary | undefined,
  rate: string,
) {
  if (summary)
    return isRealTime(summary)
      ? `Plays in real time, ${rate} fps`
      : `Plays ${percentText(summary.onTimeShare)} of its frames on time`;
  if (inMemory === frames) return `Should play in real time, ${rate} fps`;
  return known === 0 ? "Not measured yet" : `About ${percentText(overBudget / frames)} of frames are over budget`;
}

/** Undefined while the timeline is being read. */
export function useStanding(): Standing | undefined {
  const { composition, document, settings } = useWorkspace();
  const state = useMemo(() => documentKey(document), [document]);
  const timeline = useEngine((engine) => engine.timeline);
  const range = useEngine((engine) => engine.status?.range);
  const take = useLiveQuery(() => database.takes.where("document.id").equals(document.id).last(), [document.id]);
  if (!timeline || !range || timeline.costs.length !== composition.duration) return undefined;
  const figures = sumUp(timeline, range, frameBudgetMs(composition.rate));
  const summary = take && isOfNow(take, { state, settings, range, figures }) ? take.summary : undefined;
  const rate = rateText(framesPerSecond(composition.rate));
  const detail = summary
    ? `last take: ${rateText(summary.reachedRate)} of ${rate} fps, ${summary.skipped} skipped, ${summary.late} late`
    : take
      ? "estimated; changed since the last take"
      : "estimated; measure a take to know";
  return {
    ...figures,
    range,
    summary,
    isRealTime: summary !== undefined && isRealTime(summary),
    answer: answerOf(figures, summary, rate),
    detail,
  };
}
