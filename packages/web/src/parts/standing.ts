import { documentKey, frameBudgetMs, isRealTime, rateName, type FrameRange, type TakeSummary } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import { database } from "../data/database";
import { useEngine } from "../data/engineStore";
import { useWorkspace } from "../data/workspace";
import { answerOf, detailOf, playedTheSame, speaksForNow, sumUp, withMissing, type RangeFigures } from "./verdict";

/** Where the open composition stands. */
export interface Standing extends RangeFigures {
  readonly range: FrameRange;
  /** The last take, while what it played and what it began with are as now, or more is held. */
  readonly summary: TakeSummary | undefined;
  readonly isRealTime: boolean;
  readonly answer: string;
  readonly detail: string;
}

/** Undefined while the timeline is being read. */
export function useStanding(): Standing | undefined {
  const { composition, document, settings, layers, bakes } = useWorkspace();
  const timeline = useEngine((engine) => engine.timeline);
  const range = useEngine((engine) => engine.status?.range);
  const outlook = useEngine((engine) => engine.outlook);
  const take = useLiveQuery(() => database.takes.where("document.id").equals(document.id).last(), [document.id]);
  const missing = useEngine((engine) => engine.status?.missing);
  const isCompared = take !== undefined;
  const state = useMemo(() => (isCompared ? documentKey(document) : undefined), [document, isCompared]);
  if (!timeline || !range || timeline.costs.length !== composition.duration) return undefined;
  const figures = sumUp(timeline, range, frameBudgetMs(composition.rate));
  const isSame =
    take !== undefined &&
    state !== undefined &&
    playedTheSame(take, { state, settings, layers, bakes, range, missing: missing ?? {} });
  const summary = isSame && speaksForNow(take, figures) ? take.summary : undefined;
  const rate = rateName(composition.rate);
  const answer = answerOf(figures, summary, outlook?.document === document.id ? outlook.summary : undefined, rate);
  return {
    ...figures,
    range,
    summary,
    isRealTime: summary !== undefined && isRealTime(summary),
    answer: withMissing(answer, Object.keys(missing ?? {}).length),
    detail: detailOf(figures, take, summary !== undefined, rate),
  };
}
