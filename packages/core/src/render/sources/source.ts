import type { Asset } from "../../composition";
import type { SourceNode } from "../../graph";
import type { Canvas, Raster } from "../raster";

export type SvgAsset = Extract<Asset, { kind: "svg" }>;

/** 8-bit sRGB pixels. */
export interface Pixels8 {
  readonly width: number;
  readonly height: number;
  readonly data: Uint8Array;
}

/** What a source may ask of the place it runs in. */
export interface SourceEnvironment {
  readonly canvas: Canvas;
  asset(id: string): Asset;
  /** Artwork as premultiplied pixels `width` across. */
  drawArtwork(artwork: SvgAsset, width: number): Pixels8;
  /** Adds decoded pixels, linearised, as a raster. */
  upload(pixels: Pixels8, premultiplied: boolean): Raster;
}

/** Draws a source over the whole of its node's window. The caller releases the raster. */
export type DrawSource = (node: SourceNode, environment: SourceEnvironment) => Raster;
