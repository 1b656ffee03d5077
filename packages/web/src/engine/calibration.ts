import type { FrameNumber } from "@kinetocache/core";

// Small frames that give the cost model its first samples; the first rounds only warm the workers up.
const FRACTIONS = [1 / 4, 1 / 4, 1 / 4, 1 / 8, 1 / 4, 1 / 3];
/** Where in a composition it is looked what it is made of. */
export const POINTS = [0, 0.2, 0.45, 0.7, 0.9];

/** The small frames that are rendered when a composition opens, for the first estimates. One at a time. */
export class Calibration {
  private waiting: { readonly fraction: number; readonly frame: FrameNumber }[] = [];

  get isDone(): boolean {
    return this.waiting.length === 0;
  }

  start(duration: number): void {
    this.waiting = FRACTIONS.flatMap((fraction) =>
      POINTS.map((point) => ({ fraction, frame: Math.floor(point * duration) })),
    );
  }

  next(): { readonly fraction: number; readonly frame: FrameNumber } | undefined {
    return this.waiting.shift();
  }
}
