import type { FrameNumber, GraphicsResult, Milliseconds, NodeKind, RenderDevice } from "@kinetocache/core";
import type { EngineEvent } from "./protocol/event";
import type { RenderOutcome } from "./protocol/rendering";
import type { Rendered } from "./renderPool";
import type { Course, Trial, TrialFrame } from "./trial";

// Frames of each worker that only warm it up, and those that are timed, at the least. A device that is so slow
// that it does not get there in time is timed over what it did get done.
const WARM_FRAMES = 6;
const WARM_MS = 2500;
// A branch that stays still is kept once a worker has met it twice.
const LEAST_WARM = 2;
const LEAST_TIMED = 12;
const TIMED_FRAMES = 6;
const TIMED_MS = 5000;
// Timed frames whose pixels are compared with those of the processor.
const COMPARED = 2;

/** One device at work: a warm-up, then frames that count, then those that were still under way. */
class Step {
  readonly running = new Map<number, FrameNumber>();
  readonly nodeMs = new Map<NodeKind, Milliseconds>();
  nodesTimed = true;
  difference: number | undefined;
  timed = 0;
  started = 0;
  ended = 0;
  beganMs: Milliseconds | undefined;
  timedFromMs: Milliseconds | undefined;
  lastEndMs = 0;
  /** No more frames are started: enough were timed, the time is up, or the device failed. */
  isClosed = false;
  failure: string | undefined;

  constructor(
    readonly device: RenderDevice,
    readonly wanted: number,
  ) {}

  result(): GraphicsResult {
    if (this.failure !== undefined) return { device: this.device, failure: this.failure };
    const nodes = [...this.nodeMs].map(([kind, ms]) => ({ kind, ms: ms / this.timed })).sort((a, b) => b.ms - a.ms);
    return {
      device: this.device,
      rate: (this.timed * 1000) / (this.lastEndMs - this.timedFromMs!),
      frames: this.timed,
      nodes,
      nodesTimed: this.nodesTimed,
      ...(this.difference === undefined ? {} : { difference: this.difference }),
    };
  }
}

/** Renders the same frames of a range on one device after another, times them, and compares their pixels. */
export class GraphicsTrial implements Trial {
  readonly of = "graphics devices";
  private readonly results: GraphicsResult[] = [];
  private readonly waiting: RenderDevice[];
  private readonly total: number;
  private current: Step | undefined;
  /** Pixels of the first device, which is the processor, by frame. */
  private readonly reference = new Map<FrameNumber, Uint8Array>();

  /**
   * @param devices the processor first
   * @param comparable whether pixels can be compared in steps of 8-bit
   */
  constructor(
    devices: readonly RenderDevice[],
    private readonly course: Course,
    readonly parallel: number,
    private readonly comparable: boolean,
  ) {
    this.waiting = [...devices];
    this.total = devices.length;
    this.advance();
  }

  get step(): string {
    return this.device;
  }

  get device(): RenderDevice {
    return this.current?.device ?? "processor";
  }

  get jobs(): Iterable<number> {
    return this.current?.running.keys() ?? [];
  }

  get isDone(): boolean {
    return this.current === undefined;
  }

  get progress(): number {
    const { current } = this;
    const share = current ? Math.min(1, current.timed / current.wanted) : 0;
    return (this.results.length + share) / Math.max(1, this.total);
  }

  next(job: number, nowMs: Milliseconds): TrialFrame | undefined {
    const { current } = this;
    if (!current || current.isClosed || current.running.size >= this.parallel) return undefined;
    current.beganMs ??= nowMs;
    // Frames that count are the same on every device; the warm-up may be cut short before it has had all of its.
    const frame = this.course(current.started++);
    current.running.set(job, frame);
    return { frame };
  }

  end(outcome: RenderOutcome, nowMs: Milliseconds): string | undefined {
    const current = this.current!;
    const frame = current.running.get(outcome.job)!;
    current.running.delete(outcome.job);
    if (outcome.kind === "failed") return outcome.reason;
    if (outcome.kind === "noGraphics") {
      current.failure ??= outcome.reason;
      current.isClosed = true;
    } else if (outcome.kind === "rendered" && !current.isClosed) this.take(current, frame, outcome, nowMs);
    if (current.isClosed && current.running.size === 0) {
      this.results.push(current.result());
      this.advance();
    }
    return undefined;
  }

  tell(emit: (event: EngineEvent) => void): void {
    emit({ kind: "graphicsTrial", results: this.results });
  }

  private take(current: Step, frame: FrameNumber, rendered: Rendered, nowMs: Milliseconds): void {
    current.ended++;
    if (this.comparable) this.compare(current, frame, rendered.pixels);
    if (current.timedFromMs === undefined) {
      const { parallel } = this;
      const isLate = nowMs - current.beganMs! > WARM_MS && current.ended >= parallel * LEAST_WARM;
      const isWarm = isLate || current.ended >= parallel * WARM_FRAMES;
      if (!isWarm) return;
      current.timedFromMs = nowMs;
      // From here on come the frames that every device renders.
      current.started = 0;
      return;
    }
    current.timed++;
    current.lastEndMs = nowMs;
    current.nodesTimed &&= rendered.nodesTimed;
    for (const { kind, ms } of rendered.costs) current.nodeMs.set(kind, (current.nodeMs.get(kind) ?? 0) + ms);
    current.isClosed = current.timed >= current.wanted || nowMs - current.timedFromMs > TIMED_MS;
  }

  private compare(current: Step, frame: FrameNumber, pixels: Uint8Array): void {
    if (current.device === "processor") {
      if (this.reference.size < COMPARED && !this.reference.has(frame)) this.reference.set(frame, pixels.slice());
      return;
    }
    const expected = this.reference.get(frame);
    if (!expected) return;
    let most = current.difference ?? 0;
    for (let at = 0; at < pixels.length; at++) most = Math.max(most, Math.abs(pixels[at]! - expected[at]!));
    current.difference = most;
  }

  private advance(): void {
    const device = this.waiting.shift();
    const wanted = Math.max(LEAST_TIMED, this.parallel * TIMED_FRAMES);
    this.current = device && new Step(device, wanted);
  }
}
