import { IN_MEMORY, type FrameNumber, type FrameRange, type Milliseconds } from "@kinetocache/core";
import { median } from "./median";

/** What is still to be done for frames to be held. */
export interface FillRest {
  /** Frames that are rendered, and what that takes by their costs. */
  readonly renders: number;
  readonly costMs: Milliseconds;
  /** Frames that are read from disk. */
  readonly fetches: number;
}

/**
 * @param room frames that memory can still take
 * @param diskTakes whether those beyond that are rendered too, for the disk
 */
export function restOf(
  { residency, costs }: { readonly residency: Uint8Array; readonly costs: Float32Array },
  range: FrameRange,
  room: number,
  diskTakes: boolean,
): FillRest {
  let [renders, costMs, fetches, left] = [0, 0, 0, room];
  for (let frame = range.in; frame < range.out; frame++) {
    const tiers = residency[frame]!;
    if (tiers & IN_MEMORY) continue;
    const isTaken = left > 0;
    if (isTaken) left--;
    if (tiers) fetches += Number(isTaken);
    else if (isTaken || diskTakes) {
      renders++;
      costMs += costs[frame]!;
    }
  }
  return { renders, costMs, fetches };
}

// After so long without work, filling has begun anew.
const REST_MS: Milliseconds = 500;
// What came in the last so many milliseconds counts, and so many frames at the least: others come and go on a machine.
const WINDOW_MS: Milliseconds = 4000;
const LEAST = 8;
// Before so many have come, one after the other says nothing yet.
const FIRST = 4;

/** The frames that came lately, one after the other. */
class Flow {
  private came: { readonly atMs: Milliseconds; readonly frame: FrameNumber }[] = [];

  /** @param startedMs when it was begun */
  note(frame: FrameNumber, nowMs: Milliseconds, startedMs: Milliseconds): void {
    const last = this.came.at(-1);
    if (last && startedMs - last.atMs > REST_MS) this.forget();
    this.came.push({ atMs: nowMs, frame });
    while (this.came.length > LEAST && this.came[0]!.atMs < nowMs - WINDOW_MS) this.came.shift();
  }

  forget(): void {
    this.came = [];
  }

  /** Milliseconds for a unit of work; undefined while too little has come. @param workOf a frame */
  msAUnit(workOf: (frame: FrameNumber) => number): number | undefined {
    const [first, ...others] = this.came;
    const work = others.reduce((sum, { frame }) => sum + workOf(frame), 0);
    if (!first || others.length < FIRST || work === 0) return undefined;
    return (others.at(-1)!.atMs - first.atMs) / work;
  }
}

// Of the last so many frames the middle one counts: the first of all take several times as long as any later.
const FRAMES = 9;
// How unevenly they come is told by so many.
const MOST = 24;

/** How quickly frames come while filling, learned from those that came. */
export class FillPace {
  /** What the last frames took, over what they were expected to cost. */
  private readonly ratios: number[] = [];
  private readonly renders = new Flow();
  private readonly fetches = new Flow();

  /** A frame was rendered. @param startedMs when it was begun @param costMs what it was expected to cost */
  rendered(frame: FrameNumber, nowMs: Milliseconds, startedMs: Milliseconds, costMs: Milliseconds): void {
    if (costMs <= 0) return;
    this.renders.note(frame, nowMs, startedMs);
    this.ratios.push((nowMs - startedMs) / costMs);
    if (this.ratios.length > MOST) this.ratios.shift();
  }

  /** A frame came from disk. @param startedMs when it was asked for */
  fetched(frame: FrameNumber, nowMs: Milliseconds, startedMs: Milliseconds): void {
    this.fetches.note(frame, nowMs, startedMs);
  }

  /** Frames are of another state from now on. */
  restart(): void {
    this.renders.forget();
    this.fetches.forget();
  }

  /** How many times as long as was expected the last frames took, one after the other. */
  get slowdowns(): readonly number[] {
    return [...this.ratios];
  }

  /** How many times as long as is expected rendering a frame takes at present. */
  get slowdown(): number {
    return this.ratios.length > 0 ? median(this.ratios.slice(-FRAMES)) : 1;
  }

  /**
   * Time for the rest; undefined where there is none.
   * @param costs of all frames: what came is measured by what is known of it now, as the rest is
   * @param fetchMs what a fetch takes, while too few were noted
   */
  remainingMs(
    { costMs, fetches }: Pick<FillRest, "costMs" | "fetches">,
    costs: Float32Array,
    parallel: number,
    fetchMs: Milliseconds,
  ): Milliseconds | undefined {
    const renderMs = costMs * (this.renders.msAUnit((frame) => costs[frame] ?? 0) ?? this.slowdown / parallel);
    // Both go on at the same time.
    const ms = Math.max(renderMs, fetches * (this.fetches.msAUnit(() => 1) ?? fetchMs));
    return ms > 0 ? ms : undefined;
  }
}
