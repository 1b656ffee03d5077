import type { Document, FrameNumber, FrameRange, Milliseconds, RenderDevice } from "@kinetocache/core";
import type { EngineEvent, TrialKind } from "./protocol/event";
import type { RenderOutcome, RenderTask } from "./protocol/rendering";

/** What is rendered for a trial, at its settings. */
export type TrialFrame = Pick<RenderTask, "frame" | "tries">;

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
  /** Whether it measures what playback takes, with what showing pictures takes of the machine. */
  readonly isAsPlayed?: boolean;
  /** Jobs under way. */
  readonly jobs: Iterable<number>;
  /** Next frame to render; undefined when none can start now. */
  next(job: number, nowMs: Milliseconds): TrialFrame | undefined;
  /**
   * Takes in what became of a job.
   * @returns why the trial cannot go on, if so
   */
  end(outcome: RenderOutcome, nowMs: Milliseconds): string | undefined;
  /** Tells what was found, once it is done. */
  tell(emit: (event: EngineEvent) => void): void;
}

/** Which frames are tried. */
export type Course = (index: number) => FrameNumber;

/** Frames all over a range: steps of the golden section visit it evenly, whatever the number of tries. */
export function spread({ in: first, out }: FrameRange): Course {
  return (index) => first + Math.floor((Math.abs(index * 0.618034) % 1) * (out - first));
}

/** Which frames of an open composition are tried: clips are decoded in order. */
export function courseOf({ assets }: Pick<Document, "assets">, range: FrameRange): Course {
  const hasClips = Object.values(assets).some(({ kind }) => kind === "clip");
  return hasClips ? inOrder(range) : spread(range);
}

/** Frames one after another, as in playback: what clips need, in which every jump costs. */
export function inOrder({ in: first, out }: FrameRange): Course {
  return (index) => first + (Math.abs(index) % (out - first));
}
