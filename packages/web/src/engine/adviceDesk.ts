import type { Milliseconds } from "@kinetocache/core";
import type { Advice, BakeWay, TriedFrame } from "./bakeAdvice";
import type { EngineEvent, Status } from "./protocol";

/** Works out what is worth baking, a little at a time, and has tried what it asks to have tried. */
export class AdviceDesk {
  private advice: Advice | undefined;
  private isTrying = false;
  private tried: readonly (readonly TriedFrame[])[] | undefined;

  /** @param tryOut has frames rendered with each way, and tells what became of them */
  constructor(
    private readonly emit: (event: EngineEvent) => void,
    private readonly tryOut: (
      ways: readonly BakeWay[],
      onDone: (tried: readonly (readonly TriedFrame[])[]) => void,
    ) => void,
  ) {}

  start(advice: Advice): void {
    this.advice = advice;
    this.isTrying = false;
    this.tried = undefined;
  }

  /** @returns whether something was under way */
  drop(): boolean {
    const wasRunning = this.advice !== undefined;
    this.advice = undefined;
    return wasRunning;
  }

  get status(): Status["trial"] {
    return this.advice && { of: "bakes", step: "comparing", progress: this.tried ? 1 : 0 };
  }

  get isDue(): boolean {
    return this.advice !== undefined && !this.isTrying;
  }

  /** Works on until the time is used up. */
  step(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    while (this.advice && this.isDue) {
      const { advice, tried } = this;
      const next = advice.next(tried);
      if (next.done) {
        this.advice = undefined;
        this.emit({ kind: "suggestedBakes", suggested: next.value });
      } else if (next.value) {
        this.isTrying = true;
        this.tryOut(next.value, (found) => {
          if (this.advice !== advice) return;
          this.isTrying = false;
          this.tried = found;
        });
      } else if (performance.now() >= until) return;
    }
  }
}
