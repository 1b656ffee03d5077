import type { FrameNumber, RenderDevice } from "@kinetocache/core";
import type { BakeWay, TriedFrame } from "./bakeAdvice";
import type { RenderOutcome } from "./protocol";
import type { Course, Trial, TrialFrame } from "./trial";

// Frames that are tried with each way, after those that only warm a worker up.
const TRIED = 3;
const WARM = 2;
/** A frame shows no more baked pictures than this. */
const MOST_PICTURES = 100;

interface Tried {
  readonly way: number;
  readonly frame: FrameNumber;
  readonly isWarmUp: boolean;
}

/** Renders some frames with each of several ways to bake, with pictures that are made for them alone. */
export class BakeTrial implements Trial {
  readonly of = "bakes";
  private readonly waiting: Tried[];
  private readonly total: number;
  private readonly running = new Map<number, Tried>();
  private readonly tried: TriedFrame[][];

  /** @param sequence stored sequence that pictures go through @param onDone gets what was found, for each way */
  constructor(
    private readonly ways: readonly BakeWay[],
    readonly device: RenderDevice,
    readonly parallel: number,
    course: Course,
    private readonly sequence: string,
    private readonly onDone: (tried: readonly (readonly TriedFrame[])[]) => void,
  ) {
    const last = ways.length - 1;
    const warm = Array.from({ length: WARM * parallel }, (_, at) => ({ way: last, frame: course(at), isWarmUp: true }));
    const counted = ways.flatMap((_, way) =>
      Array.from({ length: TRIED }, (__, at) => ({ way, frame: course(at), isWarmUp: false })),
    );
    this.waiting = [...warm, ...counted];
    this.total = this.waiting.length;
    this.tried = ways.map(() => []);
  }

  get step(): string {
    return `${this.total - this.waiting.length} of ${this.total} frames`;
  }

  get progress(): number {
    return (this.total - this.waiting.length - this.running.size) / this.total;
  }

  get isDone(): boolean {
    return this.waiting.length === 0 && this.running.size === 0;
  }

  get jobs(): Iterable<number> {
    return this.running.keys();
  }

  next(job: number): TrialFrame | undefined {
    if (this.running.size >= this.parallel) return undefined;
    const next = this.waiting.shift();
    if (!next) return undefined;
    this.running.set(job, next);
    const number = MOST_PICTURES * (this.total - this.waiting.length);
    return { frame: next.frame, tries: { bakes: this.ways[next.way]!.bakes, sequence: this.sequence, number } };
  }

  end(outcome: RenderOutcome): string | undefined {
    const tried = this.running.get(outcome.job);
    this.running.delete(outcome.job);
    if (outcome.kind === "failed" || outcome.kind === "noGraphics" || outcome.kind === "unreadable")
      return outcome.reason;
    if (tried && !tried.isWarmUp && outcome.kind === "rendered" && outcome.pictures)
      this.tried[tried.way]!.push({ frame: tried.frame, ms: outcome.ms, pictures: outcome.pictures });
    return undefined;
  }

  tell(): void {
    this.onDone(this.tried);
  }
}
