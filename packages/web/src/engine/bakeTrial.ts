import type { FrameNumber, RenderDevice } from "@kinetocache/core";
import type { BakeWay, TriedFrame } from "./bakeAdvice";
import type { MadePicture, RenderOutcome } from "./protocol/rendering";
import type { Course, Trial, TrialFrame } from "./trial";

// Frames that are tried with each way, after those that only warm a worker up, and how often each is.
const TRIED = 3;
const WARM = 2;
const ROUNDS = 2;
/** A frame shows no more baked pictures than this. */
const MOST_PICTURES = 100;

interface Tried {
  readonly way: number;
  readonly frame: FrameNumber;
  /** What a worker renders while it is cold counts for nothing. */
  readonly isWarmUp?: boolean;
  /** Pictures that were made for it; undefined before that. */
  readonly made?: readonly MadePicture[];
}

/**
 * Renders some frames with each of several ways to bake. All pictures are made first, for these frames alone: rendering
 * with them is measured with nothing beside it but more of that, as in playback.
 */
export class BakeTrial implements Trial {
  readonly of = "bakes";
  private waiting: Tried[];
  /** What is tried once all pictures are made. */
  private readonly then: Tried[] = [];
  private readonly total: number;
  private begun = 0;
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
    const counted = ways.flatMap((_, way) => Array.from({ length: TRIED }, (__, at) => ({ way, frame: course(at) })));
    this.waiting = [...warm, ...counted];
    this.total = this.waiting.length + ROUNDS * counted.length;
    this.tried = ways.map(() => []);
  }

  get step(): string {
    return `${this.begun} of ${this.total} frames`;
  }

  get progress(): number {
    return (this.begun - this.running.size) / this.total;
  }

  get isDone(): boolean {
    return this.waiting.length === 0 && this.then.length === 0 && this.running.size === 0;
  }

  get isAsPlayed(): boolean {
    return [...this.running.values()].some(({ made }) => made !== undefined);
  }

  get jobs(): Iterable<number> {
    return this.running.keys();
  }

  next(job: number): TrialFrame | undefined {
    if (this.running.size >= this.parallel) return undefined;
    if (this.waiting.length === 0 && this.running.size === 0) this.waiting = this.then.splice(0);
    const next = this.waiting.shift();
    if (!next) return undefined;
    this.running.set(job, next);
    const number = MOST_PICTURES * this.begun++;
    const { bakes } = this.ways[next.way]!;
    return { frame: next.frame, tries: { bakes, sequence: this.sequence, number, made: next.made } };
  }

  end(outcome: RenderOutcome): string | undefined {
    const ended = this.running.get(outcome.job);
    this.running.delete(outcome.job);
    if (outcome.kind === "failed" || outcome.kind === "noGraphics" || outcome.kind === "unreadable")
      return outcome.reason;
    if (!ended || ended.isWarmUp || outcome.kind !== "rendered" || !outcome.pictures) return undefined;
    const { way, frame, made } = ended;
    if (made) this.tried[way]!.push({ frame, ms: outcome.ms, pictures: outcome.pictures });
    else for (let round = 0; round < ROUNDS; round++) this.then.push({ way, frame, made: outcome.pictures });
    return undefined;
  }

  tell(): void {
    this.onDone(this.tried);
  }
}
