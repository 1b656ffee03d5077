import type { Canvas, LinearPixels, Pixels8, Raster } from "../canvas";
import type { Evaluated, Kind } from "../parameter";
import type { Window } from "../window";

/** A picture as it was stored: 8-bit and straight, or deeper, linear and premultiplied. */
interface StoredPicture {
  readonly width: number;
  readonly height: number;
  readonly depth: "8-bit" | LinearPixels["depth"];
  readonly pixels: Uint8Array;
}

/** Pictures that are not drawn by the sources themselves, by the ids that parameters have. */
export interface Pictures {
  /** Artwork as premultiplied pixels `width` across. */
  artwork(id: string, width: number): Pixels8;
  /** Straight pixels of a still. */
  still(id: string): Pixels8;
  /** Straight pixels of one frame of a clip. @throws Error when it could not be decoded */
  clipFrame(id: string, frame: number): Pixels8;
  /** A picture of a stored sequence. @throws Error when it could not be read */
  storedFrame(sequence: string, frame: number): StoredPicture;
}

/** What a source may ask of the place that it is drawn in. */
export interface Surroundings<R extends Raster> {
  readonly canvas: Canvas<R>;
  readonly pictures: Pictures;
}

/** A source at one frame, and the pixels that it fills. */
interface AppliedSource {
  readonly window: Window;
  readonly parameters: Evaluated;
}

/** All that there is to know of a kind of source but its loops over pixels. */
export interface Source extends Kind {
  /** Parameters in per cent on which alone its opacity depends; none where it is opaque, not given where more counts. */
  readonly opacities?: readonly string[];
  /** What its cost follows, for a window of so many pixels; as many, unless it is said. */
  readonly work?: (pixels: number, parameters: Evaluated) => number;
  /** Draws it over the whole of its window. The caller releases the raster. */
  readonly draw: <R extends Raster>(source: AppliedSource, surroundings: Surroundings<R>) => R;
}
