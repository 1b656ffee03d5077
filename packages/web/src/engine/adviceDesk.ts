import type { Milliseconds } from "@kinetocache/core";
import type { Advice, BakeWay, TriedFrame } from "./bakeAdvice";
import type { EngineEvent, Status } from "./protocol/event";

/** Works out what is worth baking, a little at a time, and has tried what it asks to have tried. */
export class AdviceDesk {
  /** What is to be begun as soon as it can be. */
  private begin: (() => Advice | undefined) | undefined;
  private advice: Advice | undefined;
  /** The stored sequence that pictures go through that are tried. */
  private sequence = "";
  private isTrying = false;
  private tried: readonly (readonly TriedFrame[])[] | undefined;

  /**
   * @param isReady whether what it follows from is known
   * @param tryOut has frames rendered with each way, and tells what became of them
   */
  constructor(
    private readonly emit: (event: EngineEvent) => void,
    private readonly isReady: () => boolean,
    private readonly tryOut: (
      ways: readonly BakeWay[],
      sequence: string,
      onDone: (tried: readonly (readonly TriedFrame[])[]) => void,
    ) => void,
  ) {}

  /** @param sequence stored sequence that pictures go through @param begin undefined where nothing can be said */
  start(sequence: string, begin: () => Advice | undefined): void {
    this.sequence = sequence;
    this.begin = begin;
    this.advice = undefined;
    this.isTrying = false;
    this.tried = undefined;
  }

  /** @returns whether something was under way */
  drop(): boolean {
    const wasRunning = this.advice !== undefined || this.begin !== undefined;
    this.advice = undefined;
    this.begin = undefined;
    if (wasRunning) this.emit({ kind: "suggestedBakes", suggested: undefined });
    return wasRunning;
  }

  get status(): Status["trial"] {
    if (this.begin) return { of: "bakes", step: "waiting until it is known what frames cost", progress: 0 };
    return this.advice && { of: "bakes", step: "comparing", progress: this.tried ? 1 : 0 };
  }

  get isDue(): boolean {
    return this.begin ? this.isReady() : this.advice !== undefined && !this.isTrying;
  }

  /** Works on until the time is used up. */
  step(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    if (this.begin && this.isReady()) {
      this.advice = this.begin();
      this.begin = undefined;
      if (!this.advice) {
        this.emit({
          kind: "notice",
          text: "What is worth baking follows from what frames cost, which is not known.",
        });
        this.emit({ kind: "suggestedBakes", suggested: undefined });
      }
    }
    while (this.advice && this.isDue) {
      const { advice, tried } = this;
      const next = advice.next(tried);
      if (next.done) {
        this.advice = undefined;
        this.emit({ kind: "suggestedBakes", suggested: next.value });
      } else if (next.value) {
        this.isTrying = true;
        this.tryOut(next.value, this.sequence, (found) => {
          if (this.advice !== advice) return;
          this.isTrying = false;
          this.tried = found;
        });
      } else if (performance.now() >= until) return;
    }
  }
}
