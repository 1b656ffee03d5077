import type { Milliseconds, RenderPace } from "@kinetocache/core";

const MOST_SLOWDOWN = 20;
// It rises faster than it falls, and so stays near the slow ones: a frame that comes early is no loss, a late
// one is.
const RISING = 0.4;
const FALLING = 0.1;

/**
 * How long frames take to arrive at present. Workers that are cold, or a machine that is busy with other things,
 * make every frame late by the same factor.
 */
export class Arrival {
  /** How much longer frames take than their cost says; 1 or more. */
  private slowdown = 1;
  /** How long they take, whatever their cost. */
  private meanMs: Milliseconds = 0;

  /** @param costs what rendering each frame costs; 0 when nothing is known of it */
  pace(costs: Float32Array): RenderPace {
    return { costs, slowdown: this.slowdown, unknownMs: this.meanMs };
  }

  /** Takes in how long a frame really took from its start, beside its cost; 0 when that was not known. */
  note(tookMs: Milliseconds, costMs: Milliseconds): void {
    this.meanMs = towards(this.meanMs, tookMs);
    if (costMs > 0) this.slowdown = Math.max(1, towards(this.slowdown, Math.min(MOST_SLOWDOWN, tookMs / costMs)));
  }
}

function towards(before: number, value: number): number {
  return before + (value > before ? RISING : FALLING) * (value - before);
}
