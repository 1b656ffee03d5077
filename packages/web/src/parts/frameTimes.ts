import type { FrameRange, Milliseconds } from "@kinetocache/core";
import type { TimelineData } from "../engine/previewTimeline";

/** What the frames of a range take. */
interface FrameTimes {
  /** Over those whose cost is known: of a long composition it is worked out bit by bit. */
  readonly meanMs: Milliseconds;
  readonly heaviestMs: Milliseconds;
  /** Whether every cost of the range was measured. */
  readonly measured: boolean;
}

/** @returns undefined while no cost is known */
export function frameTimes({ costs, measured }: TimelineData, range: FrameRange): FrameTimes | undefined {
  let [known, total, heaviestMs, isMeasured] = [0, 0, 0, true];
  for (let frame = range.in; frame < range.out; frame++) {
    const ms = costs[frame]!;
    if (ms > 0) known++;
    total += ms;
    heaviestMs = Math.max(heaviestMs, ms);
    isMeasured &&= measured[frame] !== 0;
  }
  return known === 0 ? undefined : { meanMs: total / known, heaviestMs, measured: isMeasured };
}
