import type { Milliseconds, RenderDevice } from "@kinetocache/core";
import type { EngineEvent, ParallelPoint } from "./protocol/event";
import type { RenderOutcome } from "./protocol/rendering";
import type { Course, Trial, TrialFrame } from "./trial";

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

/** Renders frames of a range with one frame in parallel, then two, and so on, and times them. */
export class ParallelTrial implements Trial {
  readonly of = "frames in parallel";
  readonly points: ParallelPoint[] = [];
  private readonly steps: number[];
  private readonly running = new Set<number>();
  private started = 0;
  private ended = 0;
  private timedFromMs: Milliseconds | undefined;

  /** @param device what renders */
  constructor(
    cores: number,
    private readonly course: Course,
    readonly device: RenderDevice,
  ) {
    this.steps = trialSteps(cores);
  }

  get jobs(): Iterable<number> {
    return this.running;
  }

  get isDone(): boolean {
    return this.steps.length === 0;
  }

  get parallel(): number {
    return this.steps[0] ?? 1;
  }

  get step(): string {
    return `${this.parallel} at a time`;
  }

  get progress(): number {
    const left = this.steps.length;
    return left === 0 ? 1 : (this.points.length + this.ended / this.wanted) / (this.points.length + left);
  }

  next(job: number): TrialFrame | undefined {
    if (this.isDone || this.started >= this.wanted || this.running.size >= this.parallel) return undefined;
    this.running.add(job);
    return { frame: this.course(this.started++) };
  }

  end(outcome: RenderOutcome, nowMs: Milliseconds): string | undefined {
    this.running.delete(outcome.job);
    if (outcome.kind === "failed" || outcome.kind === "noGraphics") return outcome.reason;
    this.ended++;
    if (this.ended === this.warm) this.timedFromMs = nowMs;
    if (this.ended < this.wanted) return undefined;
    this.points.push({ parallel: this.parallel, rate: (this.timed * 1000) / (nowMs - this.timedFromMs!) });
    this.steps.shift();
    this.started = 0;
    this.ended = 0;
    return undefined;
  }

  tell(emit: (event: EngineEvent) => void): void {
    emit({ kind: "parallelCurve", points: this.points });
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
