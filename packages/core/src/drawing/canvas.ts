import type { Box } from "./gaussian";
import type { Affine, Window } from "./window";

/** How one input of a stack lies on what is below it. */
export interface Placement {
  readonly opacity: number;
  readonly blend: number;
}

/** Pixels of one picture, RGBA float32, linear, premultiplied, wherever the canvas keeps them. */
export interface Raster {
  readonly window: Window;
}

export const PIXEL_BYTES = 16;

/** Thrown when rendering is not wanted any more; nothing is lost but the work. */
export class RenderCancelled extends Error {
  constructor() {
    super("Rendering was cancelled");
    this.name = "RenderCancelled";
  }
}

/** 8-bit sRGB pixels. */
export interface Pixels8 {
  readonly width: number;
  readonly height: number;
  readonly data: Uint8Array;
}

/** Pixels that are linear and premultiplied already, little-endian. */
export interface LinearPixels {
  readonly width: number;
  readonly height: number;
  readonly depth: "half" | "float";
  readonly data: Uint8Array;
}

/** A fractal noise field: positions are ((column + 0.5) · stepX + x0, (row + 0.5) · stepY + y0, z). */
export interface NoiseField {
  readonly x0: number;
  readonly y0: number;
  readonly stepX: number;
  readonly stepY: number;
  readonly z: number;
  readonly octaves: number;
  readonly seed: number;
}

export type Rgb = readonly [red: number, green: number, blue: number];

/**
 * What sources and effects draw with. Each operation works on whole rasters; `target` is written in full unless
 * it says otherwise, and `source` stays as it is. One implementation runs the kernels on the processor, another
 * one runs shaders on a graphics device: what a layer looks like is decided above, once for both.
 */
export interface Canvas<R extends Raster> {
  /** A raster with undefined contents. @throws RangeError when there is no room for it */
  allocate(window: Window): R;
  release(raster: R): void;
  /** A point in the order of operations, between which time is measured. */
  mark(): number;

  fill(target: R, colour: Rgb, alpha: number): void;
  /** A copy in another window: cut where it is smaller, transparent where it is larger. */
  reframe(source: R, window: Window): R;
  /** 8-bit pixels, linearised. With `premultiplied` their colour is multiplied by alpha already, in sRGB. */
  upload(pixels: Pixels8, premultiplied: boolean): R;
  /** The same pixels, as float32. */
  uploadLinear(pixels: LinearPixels): R;
  /** Half the size, by the mean of 2 × 2 pixels. */
  halve(source: R): R;
  /** Reads `source` at the mapped centre of each pixel, bilinearly; both in pixels of their own raster. */
  affine(target: R, source: R, map: Affine): void;
  /** Blends the inputs over each other, bottom to top, onto nothing. */
  stack(window: Window, inputs: readonly R[], placements: readonly Placement[]): R;
  /** Three passes of the box. Outside, `source` is transparent, or its nearest edge pixel with `repeatEdge`. */
  blur(source: R, window: Window, box: Box, repeatEdge: boolean): R;
  /** Mean of two bilinear reads, (dx, dy) ahead and as far behind; the windows share one space. */
  pairAverage(target: R, source: R, dx: number, dy: number): void;
  /** What is brighter than the threshold, at half size. */
  brightPass(source: R, threshold: number): R;
  /** Adds light of half the size, whose origin lies at (x, y) in pixels of the target. */
  addUpsampled(target: R, light: R, x: number, y: number, gain: number): void;
  grade(target: R, source: R, gains: Rgb, contrast: number, pivot: number, saturation: number): void;
  /** In place. `cell` is the size of a grain in pixels. */
  grain(target: R, cell: number, amount: number, seed: number): void;
  noise(target: R, field: NoiseField, low: number, high: number, colour: Rgb): void;
  /** Both rasters in one window; `amount` in pixels. */
  displace(target: R, source: R, field: NoiseField, amount: number, repeatEdge: boolean): void;
  /** Position column · ux + row · uy + t0 in a table of premultiplied pixels. */
  linearGradient(target: R, table: Float32Array, ux: number, uy: number, t0: number): void;
  /** Position distance from (x, y) over the radius. */
  radialGradient(target: R, table: Float32Array, x: number, y: number, radius: number): void;
  /** Round-capped strokes onto nothing: x0, y0, x1, y1, half width and opacity for each. */
  strokes(target: R, list: Float32Array, colour: Rgb): void;
}
