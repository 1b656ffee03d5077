import type { Animated } from "./animation";
import type { BlendMode, EffectKind, SourceKind } from "./catalogue";
import type { FrameRange, Rate } from "./rate";

/** A number (which may be animated), a colour `#rrggbb`, a choice, or the id of what is referred to. */
export type ParameterValue = Animated | string;
export type ParameterValues = Readonly<Record<string, ParameterValue>>;

export interface EffectInstance {
  readonly id: string;
  readonly kind: EffectKind;
  readonly enabled: boolean;
  readonly parameters: ParameterValues;
}

/** Position and anchor in composition pixels, scale as a fraction, rotation in degrees clockwise. */
export interface Transform {
  readonly x: Animated;
  readonly y: Animated;
  readonly anchorX: Animated;
  readonly anchorY: Animated;
  readonly scale: Animated;
  readonly rotation: Animated;
}

export interface Layer {
  readonly id: string;
  readonly name: string;
  readonly enabled: boolean;
  readonly solo: boolean;
  /** Frames of the composition in which the layer shows. */
  readonly range: FrameRange;
  readonly source: { readonly kind: SourceKind; readonly parameters: ParameterValues };
  readonly transform: Transform;
  /** 0 to 1. */
  readonly opacity: Animated;
  readonly blend: BlendMode;
  /** Applied in order to the layer's own picture, before the transform. */
  readonly effects: readonly EffectInstance[];
}

export interface Composition {
  readonly id: string;
  readonly name: string;
  readonly width: number;
  readonly height: number;
  readonly rate: Rate;
  /** Length in frames. */
  readonly duration: number;
  /** From the bottom of the picture to the top. */
  readonly layers: readonly Layer[];
}

/** A clip in a WebM or MP4 file in base64, at a frame rate of its own. */
export interface ClipAsset {
  readonly kind: "clip";
  readonly width: number;
  readonly height: number;
  readonly rate: Rate;
  /** Length in frames of its own. */
  readonly duration: number;
  readonly base64: string;
}

/** Artwork as SVG text, a PNG still in base64, or a clip; sizes in composition pixels. */
export type Asset =
  | { readonly kind: "svg"; readonly width: number; readonly height: number; readonly text: string }
  | { readonly kind: "png"; readonly width: number; readonly height: number; readonly base64: string }
  | ClipAsset;

/** Bit depth of cached frames. */
export const DEPTHS = ["8-bit", "half", "float"] as const;
export type Depth = (typeof DEPTHS)[number];

export const DOCUMENT_FORMAT = "kinetocache-composition";
export const DOCUMENT_VERSION = 2;

/** What is saved, exported and edited: a main composition with all that it needs. */
export interface Document {
  readonly format: typeof DOCUMENT_FORMAT;
  readonly version: typeof DOCUMENT_VERSION;
  readonly id: string;
  readonly depth: Depth;
  /** Id of the composition that is played. */
  readonly main: string;
  readonly compositions: Readonly<Record<string, Composition>>;
  readonly assets: Readonly<Record<string, Asset>>;
}

/** The composition that is played. */
export function mainComposition(document: Document): Composition {
  return document.compositions[document.main]!;
}
