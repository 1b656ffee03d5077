import type { FrameNumber, FrameRange, Milliseconds, RenderDevice } from "@kinetocache/core";
import type { EngineEvent, TrialKind } from "./protocol";
import type { RenderOutcome } from "./renderPool";

/** A measurement that has the render workers for itself. Nothing that it renders is kept. */
export interface Trial {
  readonly of: TrialKind;
  /** What is tried at present, in words. */
  readonly step: string;
  /** What renders it, and how many frames in parallel. */
  readonly device: RenderDevice;
  readonly parallel: number;
  /** Share of the whole that is done, 0 to 1. */
  readonly progress: number;
  readonly isDone: boolean;
  /** Jobs under way. */
  readonly jobs: Iterable<number>;
  /** Next frame to render; undefined when none can start now. */
  next(job: number, nowMs: Milliseconds): FrameNumber | undefined;
  /**
   * Takes in what became of a job.
   * @returns why the trial cannot go on, if so
   */
  end(outcome: RenderOutcome, nowMs: Milliseconds): string | undefined;
  /** What was found, once it is done. */
  result(): EngineEvent;
}

/** Frame of a range for the n-th try: steps of the golden section visit it evenly, whatever the number of tries. */
export function spreadFrame(index: number, { in: first, out }: FrameRange): FrameNumber {
  return first + Math.floor((Math.abs(index * 0.618034) % 1) * (out - first));
}
