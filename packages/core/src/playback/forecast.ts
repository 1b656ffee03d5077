import { IN_MEMORY } from "../cache";
import type { FrameNumber, Milliseconds } from "../composition";
import {
  PLAYBACK_ALONE,
  renderMs,
  schedule,
  stallOf,
  stepAt,
  type FrameJob,
  type Pacing,
  type PlayClock,
  type Snapshot,
} from "./scheduler";
import { summariseTake, type Origin, type TakeFrame, type TakeSummary } from "./take";

/** What a take begins with, and how quickly frames come to it. */
export interface TakeConditions extends Pick<
  Snapshot,
  | "range"
  | "duration"
  | "budgetMs"
  | "residency"
  | "renderSlots"
  | "fetchSlots"
  | "rendering"
  | "fetchMs"
  | "window"
  | "memoryFits"
  | "failed"
> {
  readonly pacing: Pacing;
  /**
   * How many times as long as they cost frames took lately, one after the other; none where that is not known. They
   * repeat: a take in which every frame took the middle one would have no late frame, and no real one is like that.
   * `rendering` is what the scheduler expects, which is on the safe side.
   */
  readonly slowdowns: readonly number[];
}

interface Running extends FrameJob {
  readonly endMs: Milliseconds;
}

// Rounds between two pauses in which others may act.
const ROUNDS_AT_ONCE = 16;

/**
 * Plays the range once on a virtual clock, with the scheduler of the live engine. Pauses now and then; the residency
 * that it was given stays as it is.
 * @returns what a take would come to; bytes that are read are not counted
 */
export function* forecastTake(conditions: TakeConditions): Generator<undefined, TakeSummary> {
  const { range, budgetMs, pacing, duration } = conditions;
  const residency = conditions.residency.slice();
  let clock: PlayClock = { startMs: 0, startFrame: range.in, speed: 1, pacing, loop: false };
  const frames: TakeFrame[] = [];
  let jobs: Running[] = [];
  let nextJob = 0;
  let [nowMs, shownStep, stallMs] = [0, -1, 0];
  /** Where frames came from that were not in memory. */
  const origins = new Map<FrameNumber, Origin>();
  const due = (step: number) => step * budgetMs + stallMs;
  let rendered = 0;
  const tookMs = (frame: FrameNumber) => {
    const { rendering, slowdowns } = conditions;
    const slowdown = slowdowns.length > 0 ? slowdowns[rendered++ % slowdowns.length]! : 1;
    return renderMs({ ...rendering, slowdown }, frame);
  };

  const snapshot = (): Snapshot => ({
    ...conditions,
    ...PLAYBACK_ALONE,
    nowMs,
    playhead: Math.min(duration - 1, range.in + Math.max(0, shownStep)),
    residency,
    jobs,
    clock,
    shownStep,
  });
  const start = (frame: FrameNumber, kind: FrameJob["kind"], ms: Milliseconds) => {
    origins.set(frame, kind === "fetch" ? "disk" : "rendered");
    jobs.push({ id: nextJob++, frame, kind, purpose: "play", startedMs: nowMs, endMs: nowMs + Math.max(0.01, ms) });
  };
  const show = (frame: FrameNumber, step: number) => {
    frames.push({ frame, dueMs: due(step), shownMs: nowMs, origin: origins.get(frame) ?? "memory" });
    shownStep = step;
    const byMs = stallOf(clock, step, nowMs, budgetMs);
    clock = { ...clock, startMs: clock.startMs + byMs };
    stallMs += byMs;
  };

  for (let rounds = 1; ; rounds++) {
    if (rounds % ROUNDS_AT_ONCE === 0) yield;
    let hasActed = false;
    for (const action of schedule(snapshot())) {
      hasActed = true;
      if (action.kind === "end") return summariseTake(frames, budgetMs, 0);
      if (action.kind === "show") show(action.frame, action.step);
      else if (action.kind === "skip") {
        frames.push({ frame: action.frame, dueMs: due(action.step), origin: "skipped" });
        shownStep = action.step;
      } else if (action.kind === "render") start(action.frame, "render", tookMs(action.frame));
      else if (action.kind === "fetch") start(action.frame, "fetch", conditions.fetchMs);
    }
    const next = pacing === "keep time" ? stepAt(clock, nowMs, budgetMs) + 1 : shownStep + 1;
    const nextMs = clock.startMs + next * budgetMs;
    // A frame that is due and not there yet is waited for, without a clock.
    const wakeMs = Math.min(nextMs > nowMs ? nextMs : Infinity, ...jobs.map(({ endMs }) => endMs));
    if (!Number.isFinite(wakeMs)) {
      if (hasActed) continue;
      return summariseTake(frames, budgetMs, 0);
    }
    nowMs = Math.max(nowMs, wakeMs);
    for (const { frame, endMs } of jobs) if (endMs <= nowMs) residency[frame]! |= IN_MEMORY;
    jobs = jobs.filter(({ endMs }) => endMs > nowMs);
  }
}
