import type { Bytes, Milliseconds } from "@kinetocache/core";

// The way carries what the fastest of the last transfers had; others waited for their turn.
const FADE = 0.98;

/** What the way from a location carries, unpacking left out. */
export class WayRate {
  /** Bytes a second; undefined before the first transfer. */
  perSecond: number | undefined;

  note(bytes: Bytes, ms: Milliseconds): void {
    this.perSecond = Math.max((bytes * 1000) / Math.max(0.001, ms), FADE * (this.perSecond ?? 0));
  }
}
