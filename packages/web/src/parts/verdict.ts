import { IN_MEMORY, isRealTime, ON_DISK, type Bake, type FrameRange, type TakeSummary } from "@kinetocache/core";
import { dequal } from "dequal";
import type { StoredTake } from "../data/database";
import type { LayerChoices, PreviewSettings } from "../engine/protocol/command";
import type { TimelineData } from "../engine/previewTimeline";
import { takeTerms } from "../engine/tradeOffs";
import { countText, framesText, groupedText, percentText, rateText } from "./format";

/** Costs and residency of the in–out range, summed up. */
export interface RangeFigures {
  readonly frames: number;
  readonly inMemory: number;
  readonly onDisk: number;
  /** Held in memory, on disk, or in both. */
  readonly held: number;
  /** Frames whose cost is above the budget, and frames whose cost is known at all. */
  readonly overBudget: number;
  readonly known: number;
  readonly meanMs: number;
  /** Whether every cost of the range was measured. */
  readonly measured: boolean;
}

export function sumUp({ costs, measured, residency }: TimelineData, range: FrameRange, budgetMs: number): RangeFigures {
  let [inMemory, onDisk, held, overBudget, known, total, estimated] = [0, 0, 0, 0, 0, 0, 0];
  for (let frame = range.in; frame < range.out; frame++) {
    const tiers = residency[frame]!;
    if (tiers & IN_MEMORY) inMemory++;
    if (tiers & ON_DISK) onDisk++;
    if (tiers) held++;
    const cost = costs[frame]!;
    if (cost > 0) known++;
    if (cost > budgetMs) overBudget++;
    if (measured[frame] === 0) estimated++;
    total += cost;
  }
  const frames = range.out - range.in;
  const meanMs = total / Math.max(1, known);
  return { frames, inMemory, onDisk, held, overBudget, known, meanMs, measured: estimated === 0 };
}

/** What would be played now. */
export interface Present {
  readonly state: string;
  readonly settings: PreviewSettings;
  readonly layers: LayerChoices;
  readonly bakes: readonly Bake[];
  readonly range: FrameRange;
  /** Files that cannot be read, by their fingerprints. */
  readonly missing: Readonly<Record<string, string>>;
}

const sorted = (names: readonly string[]) => [...names].sort();

const NO_CHOICES = { solo: [], effectsOff: [] };

/** Whether a take played what would be played now, under the same settings. */
export function playedTheSame(take: StoredTake, { state, settings, layers, bakes, range, missing }: Present): boolean {
  const baked = bakes.filter(({ complete, enabled }) => complete && enabled).map(({ target }) => target.layer ?? "");
  return (
    take.document.state === state &&
    dequal(take.range, range) &&
    dequal(takeTerms(take.settings, take.layers ?? NO_CHOICES), takeTerms(settings, layers)) &&
    dequal(sorted(take.baked ?? []), sorted(baked)) &&
    dequal(sorted(Object.keys(take.missing ?? {})), sorted(Object.keys(missing)))
  );
}

/** Whether what a take came to says what one would come to now: one that went well goes no worse where more is held. */
export function speaksForNow(
  { summary, heldAtStart }: Pick<StoredTake, "summary" | "heldAtStart">,
  { inMemory, onDisk }: Pick<RangeFigures, "inMemory" | "onDisk">,
): boolean {
  const { memory, disk } = heldAtStart;
  return isRealTime(summary) ? inMemory >= memory && onDisk >= disk : inMemory === memory && onDisk === disk;
}

/** What is to be said first. @param summary of a take that speaks for now */
export function answerOf(
  { frames, inMemory, known }: Pick<RangeFigures, "frames" | "inMemory" | "known">,
  summary: TakeSummary | undefined,
  outlook: TakeSummary | undefined,
  rate: string,
): string {
  if (summary)
    return isRealTime(summary)
      ? `Plays in real time, ${rate} fps`
      : `Plays ${percentText(summary.onTimeShare)} on time`;
  if (inMemory === frames) return `Should play in real time, ${rate} fps`;
  if (known === 0) return "Not measured yet";
  if (!outlook) return "Working out how it would play…";
  return isRealTime(outlook)
    ? `Should play in real time, ${rate} fps`
    : `Should play about ${percentText(outlook.onTimeShare)} on time`;
}

/** An answer with how many clips cannot be read, of which only what is cached is played. */
export function withMissing(answer: string, missing: number): string {
  return missing === 0 ? answer : `${answer}, ${countText(missing, "clip")} missing`;
}

/** What it follows from, and the last take as what it was. */
export function detailOf(
  { frames, held }: Pick<RangeFigures, "frames" | "held">,
  take: StoredTake | undefined,
  isOfNow: boolean,
  rate: string,
): string {
  if (take && isOfNow) {
    const { reachedRate, skipped, late } = take.summary;
    return `last take: ${rateText(reachedRate)} of ${rate} fps, ${skipped} skipped, ${late} late`;
  }
  const count = held === frames ? `all ${framesText(frames)}` : `${groupedText(held)} of ${framesText(frames)}`;
  const basis = `estimated, ${count} held`;
  if (!take) return `${basis}; measure a take to know`;
  const { summary, heldAtStart } = take;
  return `${basis}; last take: ${percentText(summary.onTimeShare)} on time, begun with ${heldAtStart.memory} in memory`;
}
