import type { EffectKind, SourceKind } from "../drawing";
import type { Animated } from "./animation";
import type { BlendMode } from "./blend";
import type { FrameNumber, FrameRange, Rate } from "./rate";

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

/** The mean of samples spread evenly over the time that the shutter is open around a frame. */
export interface MotionBlur {
  readonly enabled: boolean;
  /** Degrees of which 360 are one frame. */
  readonly shutter: number;
  readonly samples: number;
}

export const NO_MOTION_BLUR: MotionBlur = { enabled: false, shutter: 180, samples: 8 };

export interface Layer {
  readonly id: string;
  readonly name: string;
  readonly enabled: boolean;
  /** Frames of the composition in which the layer shows; they may lie outside it. */
  readonly range: FrameRange;
  /** Frame of the composition on which the layer's own time begins: of its media, of what moves by itself. */
  readonly start: FrameNumber;
  readonly source: { readonly kind: SourceKind; readonly parameters: ParameterValues };
  readonly transform: Transform;
  /** 0 to 1. */
  readonly opacity: Animated;
  readonly blend: BlendMode;
  /** Applied in order to the layer's own picture, before the transform. */
  readonly effects: readonly EffectInstance[];
  readonly motionBlur: MotionBlur;
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

/** A file that is not in the document: what it is known by, wherever it lies. */
export interface MediaFile {
  readonly name: string;
  readonly bytes: number;
  /** When it was last written, in whole milliseconds since 1970. */
  readonly modifiedMs: number;
  /** 32 hexadecimal digits that name its content. */
  readonly fingerprint: string;
  /** How its pictures are coded, as the browser calls it. */
  readonly codec: string;
  /** Frames from one key frame to the next, at the start of the clip; unknown where there is only one. */
  readonly group?: number;
}

interface ClipShape {
  readonly kind: "clip";
  readonly width: number;
  readonly height: number;
  readonly rate: Rate;
  /** Length in frames of its own. */
  readonly duration: number;
}

/** A clip in the document itself: a file in base64. */
export interface EmbeddedClip extends ClipShape {
  readonly base64: string;
  readonly file?: undefined;
}

/** A clip that stays where it is. */
export interface ReferencedClip extends ClipShape {
  readonly file: MediaFile;
  readonly base64?: undefined;
}

/** A clip, at a frame rate of its own. */
export type ClipAsset = EmbeddedClip | ReferencedClip;

/** Numbered pictures that were brought in, which a cache location keeps; frame 0 is the lowest number. */
export interface SequenceAsset {
  readonly kind: "sequence";
  readonly width: number;
  readonly height: number;
  readonly rate: Rate;
  readonly duration: number;
  /** Id of the stored sequence. */
  readonly sequence: string;
  /** Names its pictures: equal digests mean equal pixels. */
  readonly digest: string;
  /** Frames for which there was no file; nothing shows there. */
  readonly gaps: readonly FrameNumber[];
}

/** Artwork as SVG text, a PNG still in base64, a clip or numbered pictures; sizes in composition pixels. */
export type Asset =
  | { readonly kind: "svg"; readonly width: number; readonly height: number; readonly text: string }
  | { readonly kind: "png"; readonly width: number; readonly height: number; readonly base64: string }
  | ClipAsset
  | SequenceAsset;

/** Whether a clip stands for a file of which nothing but the name is known. */
export function isPlaceholder({ file }: ReferencedClip): boolean {
  return file.bytes === 0;
}

/** All files that a document refers to. */
export function mediaFilesOf({ assets }: Pick<Document, "assets">): MediaFile[] {
  return Object.values(assets).flatMap((asset) => (asset.kind === "clip" && asset.file ? [asset.file] : []));
}

/** Bit depth of cached frames. */
export const DEPTHS = ["8-bit", "half", "float"] as const;
export type Depth = (typeof DEPTHS)[number];

export const DOCUMENT_FORMAT = "kinetocache-composition";
export const DOCUMENT_VERSION = 4;

/** A named alternative of what is played. */
export interface Variant {
  /** Id of its main composition. */
  readonly composition: string;
  readonly name: string;
}

/** What is saved, exported and edited: a main composition with all that it needs. */
export interface Document {
  readonly format: typeof DOCUMENT_FORMAT;
  readonly version: typeof DOCUMENT_VERSION;
  readonly id: string;
  readonly depth: Depth;
  /** Id of the composition that is played: the one of the variant that is open, or one that is nested in a variant. */
  readonly main: string;
  /** At least the one that is open. */
  readonly variants: readonly Variant[];
  readonly compositions: Readonly<Record<string, Composition>>;
  readonly assets: Readonly<Record<string, Asset>>;
}

/** Of a composition: pixels of an edge, frames, layers. */
export const LARGEST_SIDE = 16_384;
export const MOST_FRAMES = 1_000_000;
export const MOST_LAYERS = 500;
/** Of a document. */
export const MOST_COMPOSITIONS = 200;
export const MOST_ASSETS = 500;
/** Characters of a name. */
export const LONGEST_NAME = 120;
/** Of a layer. */
export const MOST_EFFECTS = 32;

/** The composition that is played. */
export function mainComposition(document: Document): Composition {
  return document.compositions[document.main]!;
}

/** The document with other layers in its main composition. @throws RangeError when there are too many */
export function withLayers(document: Document, layers: readonly Layer[]): Document {
  const main = mainComposition(document);
  if (layers.length > MOST_LAYERS)
    throw new RangeError(`${main.name} has ${main.layers.length} layers; the most there can be is ${MOST_LAYERS}`);
  return withComposition(document, { ...main, layers });
}

/** The document with a composition in place of the one of its id, or beside the others. */
export function withComposition(document: Document, composition: Composition): Document {
  return { ...document, compositions: { ...document.compositions, [composition.id]: composition } };
}

/** The document without a composition, unless it is a variant or another composition shows it. */
export function withoutUnused(document: Document, id: string): Document {
  const isVariant = document.variants.some(({ composition }) => composition === id);
  const isShown = Object.values(document.compositions).some(({ layers }) =>
    layers.some(({ source }) => source.kind === "composition" && source.parameters.composition === id),
  );
  if (isVariant || isShown) return document;
  const compositions = Object.entries(document.compositions).filter(([key]) => key !== id);
  return { ...document, compositions: Object.fromEntries(compositions) };
}

/** Ids of a composition and of all that are nested in it. */
export function nestedIn({ compositions }: Document, composition: string): string[] {
  const found = new Set([composition]);
  for (const id of found)
    for (const { source } of compositions[id]!.layers)
      if (source.kind === "composition") found.add(source.parameters.composition as string);
  return [...found];
}

/** The variant that is open, or in which what is open is nested. */
export function openVariant(document: Document): Variant {
  const { main, variants } = document;
  const open = variants.find(({ composition }) => composition === main);
  return open ?? variants.find(({ composition }) => nestedIn(document, composition).includes(main)) ?? variants[0]!;
}

/** What is open by its name: the variant's, or that of a nested composition. */
export function openName(document: Document): string {
  const { composition, name } = openVariant(document);
  return composition === document.main ? name : mainComposition(document).name;
}

/** The document with a variant open. @throws RangeError when there is no such variant */
export function withVariant(document: Document, composition: string): Document {
  if (!document.variants.some((variant) => variant.composition === composition))
    throw new RangeError(`There is no variant "${composition}"`);
  return document.main === composition ? document : { ...document, main: composition };
}
