import type { Canvas, Raster } from "../canvas";
import { choice, type Evaluated, type Kind } from "../parameter";
import type { Window } from "../window";

/** An effect at one frame, and the pixels that it produces. */
interface AppliedEffect {
  readonly window: Window;
  readonly parameters: Evaluated;
}

/** All that there is to know of a kind of effect but its loops over pixels. */
export interface Effect extends Kind {
  /** Light effects stay on in the preview when effects are set to Light only. */
  readonly weight: "light" | "heavy";
  /** How far it carries colour past its input, in pixels. */
  readonly reach: (parameters: Evaluated) => Reach;
  /** Whether it leaves its input as it is. */
  readonly isNeutral: (parameters: Evaluated) => boolean;
  /** Whether what it does is less than half a step of 8-bit. */
  readonly isInvisible?: (parameters: Evaluated) => boolean;
  /** Whether a picture of one plain colour looks the same afterwards. */
  readonly keepsPlain?: (parameters: Evaluated) => boolean;
  /** Whether an opaque picture is opaque afterwards; only choices count, which are the same on every frame. */
  readonly keepsOpaque?: (choices: Readonly<Record<string, unknown>>) => boolean;
  /** Passes over the pixels of its window, which its cost follows. */
  readonly passes: (parameters: Evaluated) => number;
  /** Makes the picture in the window. The input stays as it is; the caller releases both. */
  readonly apply: <R extends Raster>(effect: AppliedEffect, input: R, canvas: Canvas<R>) => R;
}

/** Less than half a step of 8-bit. */
export const INVISIBLE = 1 / 512;

export interface Reach {
  readonly x: number;
  readonly y: number;
}

export const NO_REACH: Reach = { x: 0, y: 0 };

/** What lies beyond the edges of the input. */
export const EDGES = choice("Edges", ["transparent", "repeat"]);
