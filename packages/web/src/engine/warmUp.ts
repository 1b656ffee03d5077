import type { FrameNumber, Milliseconds } from "@kinetocache/core";
import type { Course } from "./trial";

// Each worker compiles its loops while they run for the first time, and draws artwork once for a size.
const FRAMES_EACH = 8;
// Where a frame takes long, starting cold matters less than what the rest would take.
const MOST_MS: Milliseconds = 1500;

/**
 * Frames that are rendered and thrown away when a composition opens, on all workers at once: the first second of
 * playback would otherwise be spent on compiling. They give way to whatever the user does.
 */
export class WarmUp {
  private waiting: FrameNumber[] = [];
  private endMs: Milliseconds | undefined;
  /** Whether nothing was known of the composition before: then they tell what others cost, wherever in it. */
  teaches = false;

  get isDone(): boolean {
    return this.waiting.length === 0;
  }

  start(course: Course, workers: number, teaches: boolean): void {
    this.teaches = teaches;
    this.waiting = Array.from({ length: FRAMES_EACH * workers }, (_, at) => course(at));
    this.endMs = undefined;
  }

  /** The frame to render next; undefined when nothing is left. */
  next(now: Milliseconds): FrameNumber | undefined {
    this.endMs ??= now + MOST_MS;
    if (now >= this.endMs) this.drop();
    return this.waiting.shift();
  }

  /** Nothing more is begun. */
  drop(): void {
    this.waiting = [];
  }
}
