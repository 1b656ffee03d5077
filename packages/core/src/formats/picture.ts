import type { Depth } from "../composition";

/**
 * Rows of RGBA without padding: 8-bit straight sRGB (one byte a channel), half or float linear premultiplied
 * (little-endian, two or four bytes a channel).
 */
export interface Picture {
  readonly width: number;
  readonly height: number;
  readonly depth: Depth;
  readonly pixels: Uint8Array;
}

/** A file that cannot be read; says what was wrong and at which byte. */
export class FormatError extends Error {
  constructor(format: string, problem: string, offset?: number) {
    super(`${format}: ${problem}${offset === undefined ? "" : ` (byte ${offset})`}`);
    this.name = "FormatError";
  }
}

/** Makes a buffer for the pixels of a picture, of exactly that size; it may hold anything. */
export type NewPixels = (bytes: number) => Uint8Array<ArrayBuffer>;

export const plainPixels: NewPixels = (bytes) => new Uint8Array(bytes);
