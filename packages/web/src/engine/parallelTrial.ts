import type { FrameNumber, FrameRange, Milliseconds } from "@kinetocache/core";
import type { ParallelPoint } from "./protocol";

// Of each worker's frames these are only there to warm it up: hot loops are compiled anew while they run.
const WARM_FRAMES = 8;
// Timed frames of each worker, and the least in all: the same frames with one as with two, so that no step gets
// the easier ones.
const TIMED_FRAMES = 6;
const LEAST_TIMED = 12;

/** Numbers that are tried: one, then twice as many each time, and at last all. */
export function trialSteps(cores: number): number[] {
  const steps: number[] = [];
  for (let count = 1; count < cores; count *= 2) steps.push(count);
  return [...steps, Math.max(1, cores)];
}

/**
 * Renders frames of a range with one frame in parallel, then two, and so on, and times them. Nothing that it
 * renders is kept.
 */
export class ParallelTrial {
  readonly points: ParallelPoint[] = [];
  private readonly steps: number[];
  private readonly running = new Set<number>();
  private started = 0;
  private ended = 0;
  private timedFromMs: Milliseconds | undefined;

  constructor(
    cores: number,
    private readonly range: FrameRange,
  ) {
    this.steps = trialSteps(cores);
  }

  /** Jobs under way. */
  get jobs(): Iterable<number> {
    return this.running;
  }

  get isDone(): boolean {
    return this.steps.length === 0;
  }

  /** Frames in parallel that are being tried. */
  get parallel(): number {
    return this.steps[0] ?? 1;
  }

  /** Share of the whole trial that is done, 0 to 1. */
  get progress(): number {
    const left = this.steps.length;
    return left === 0 ? 1 : (this.points.length + this.ended / this.wanted) / (this.points.length + left);
  }

  /** Next frame to render, spread over the range; undefined when all of this step are under way. */
  next(job: number): FrameNumber | undefined {
    if (this.isDone || this.started >= this.wanted || this.running.size >= this.parallel) return undefined;
    this.running.add(job);
    const length = this.range.out - this.range.in;
    // Steps of the golden section of the range visit it evenly, whatever the number of frames.
    const place = Math.abs((this.started++ - this.warm) * 0.618034) % 1;
    return this.range.in + Math.floor(place * length);
  }

  /** @returns whether the job was one of these */
  end(job: number, nowMs: Milliseconds): boolean {
    if (!this.running.delete(job)) return false;
    this.ended++;
    if (this.ended === this.warm) this.timedFromMs = nowMs;
    if (this.ended < this.wanted) return true;
    this.points.push({ parallel: this.parallel, rate: (this.timed * 1000) / (nowMs - this.timedFromMs!) });
    this.steps.shift();
    this.started = 0;
    this.ended = 0;
    return true;
  }

  private get warm(): number {
    return this.parallel * WARM_FRAMES;
  }

  private get timed(): number {
    return Math.max(LEAST_TIMED, this.parallel * TIMED_FRAMES);
  }

  private get wanted(): number {
    return this.warm + this.timed;
  }
}
