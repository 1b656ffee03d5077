import { IN_MEMORY, type FrameRange, type Milliseconds } from "@kinetocache/core";
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

// After so long without a frame, filling has begun anew.
const REST_MS: Milliseconds = 500;
// What was noted before fades by so much with each frame: about the last ten count.
const FADE = 0.9;

/** A mean of the last values. */
class Fading {
  private sum = 0;
  private weight = 0;

  add(value: number): void {
    this.sum = this.sum * FADE + value;
    this.weight = this.weight * FADE + 1;
  }

  get mean(): number | undefined {
    return this.weight > 0 ? this.sum / this.weight : undefined;
  }
}

// Of the last so many frames the middle one counts: the first of all take several times as long as any later.
const FRAMES = 9;

/** How quickly frames come while filling, learned from those that came. */
export class FillPace {
  /** What the last frames took, over what they were expected to cost. */
  private readonly slowdowns: number[] = [];
  private readonly gap = new Fading();
  private lastFetchMs = -Infinity;

  /** A frame was rendered. @param tookMs from its start to its end @param costMs what it was expected to cost */
  rendered(tookMs: Milliseconds, costMs: Milliseconds): void {
    if (costMs <= 0) return;
    this.slowdowns.push(tookMs / costMs);
    if (this.slowdowns.length > FRAMES) this.slowdowns.shift();
  }

  /** A frame came from disk. @param startedMs when it was asked for */
  fetched(nowMs: Milliseconds, startedMs: Milliseconds): void {
    // Several are on their way at a time: what counts is how long after the one before it came, unless nothing was asked for.
    const hasRested = nowMs - this.lastFetchMs > REST_MS;
    this.gap.add(nowMs - (hasRested ? startedMs : this.lastFetchMs));
    this.lastFetchMs = nowMs;
  }

  /** How many times as long as is expected rendering a frame takes at present. */
  get slowdown(): number {
    return this.slowdowns.length > 0 ? median(this.slowdowns) : 1;
  }

  /** Time for the rest; undefined where there is none. @param fetchMs what a fetch takes, while none was noted */
  remainingMs(
    { costMs, fetches }: Pick<FillRest, "costMs" | "fetches">,
    parallel: number,
    fetchMs: Milliseconds,
  ): Milliseconds | undefined {
    const renderMs = (costMs * this.slowdown) / parallel;
    // Both go on at the same time.
    const ms = Math.max(renderMs, fetches * (this.gap.mean ?? fetchMs));
    return ms > 0 ? ms : undefined;
  }
}
