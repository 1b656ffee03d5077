import {
  secondsAtFrame,
  type Composition,
  type Document,
  type FrameNumber,
  type Rate,
  type Seconds,
} from "../composition";
import { scaledSize, type Window } from "../drawing";
import type { Bakes } from "./bake";
import type { RenderSettings } from "./settings";
import type { SharedLayers } from "./sharedLayers";

/** What a node is made for. */
export interface Context {
  readonly document: Document;
  readonly settings: RenderSettings;
  readonly bakes: Bakes;
  readonly frame: FrameNumber;
  /** How far the moment that is shown is from the frame, in frames: other than 0 while the shutter is open around it. */
  readonly shutter: number;
  /** Frame on which the layer's own time begins, and how long that has gone on. */
  readonly start: FrameNumber;
  readonly seconds: Seconds;
  /** Size of what is drawn against the size of its composition. */
  readonly fraction: number;
  /** Layer of the main composition that the node belongs to, and its cost; null at the top. */
  readonly topLayer: string | null;
  readonly shared?: SharedLayers;
}

export function momentOf(frame: FrameNumber, rate: Rate): Pick<Context, "frame" | "shutter" | "start" | "seconds"> {
  return { frame, shutter: 0, start: 0, seconds: secondsAtFrame(frame, rate) };
}

/** @throws RangeError when the frame is outside the composition */
export function contextAt(
  document: Document,
  composition: Composition,
  frame: FrameNumber,
  settings: RenderSettings,
  bakes: Bakes,
): Context {
  if (frame < 0 || frame >= composition.duration) {
    throw new RangeError(
      `Frame ${frame} is outside ${composition.name}, which has frames 0 to ${composition.duration - 1}`,
    );
  }
  const { fraction } = settings;
  return { document, settings, bakes, fraction, ...momentOf(frame, composition.rate), topLayer: null };
}

/** All of a picture at a preview size. */
export function canvas(size: { width: number; height: number }, fraction: number): Window {
  return { x: 0, y: 0, width: scaledSize(size.width, fraction), height: scaledSize(size.height, fraction) };
}
