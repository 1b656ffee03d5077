import { stallOf, type Milliseconds, type PlayClock } from "@kinetocache/core";

/** One run of playback: its clock, and what was shown of it. */
export class Transport {
  /** -1 before the first. */
  shownStep = -1;
  skipped = 0;
  private shown = 0;
  private currentClock: PlayClock;
  private firstShownMs: Milliseconds | undefined;
  private lastShownMs: Milliseconds = 0;

  constructor(
    clock: PlayClock,
    private readonly budgetMs: Milliseconds,
  ) {
    this.currentClock = clock;
  }

  get clock(): PlayClock {
    return this.currentClock;
  }

  get direction(): 1 | -1 {
    return this.clock.speed < 0 ? -1 : 1;
  }

  /** Frames shown a second so far; 0 before the second one. */
  get reachedRate(): number {
    if (this.firstShownMs === undefined || this.shown < 2) return 0;
    return ((this.shown - 1) * 1000) / (this.lastShownMs - this.firstShownMs);
  }

  /** When a step is due. */
  dueMs(step: number): Milliseconds {
    return this.clock.startMs + step * this.budgetMs;
  }

  skip(step: number): void {
    this.shownStep = step;
    this.skipped++;
  }

  /** @returns by how much all later frames have moved: a stall moves them when every frame is shown */
  show(step: number, nowMs: Milliseconds): Milliseconds {
    this.shownStep = step;
    this.shown++;
    this.firstShownMs ??= nowMs;
    this.lastShownMs = nowMs;
    const byMs = stallOf(this.clock, step, nowMs, this.budgetMs);
    this.currentClock = { ...this.clock, startMs: this.clock.startMs + byMs };
    return byMs;
  }
}
