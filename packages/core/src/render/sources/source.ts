import type { Asset, ClipAsset, FrameNumber } from "../../composition";
import type { Canvas, Pixels8, Raster } from "../../drawing";
import type { Picture } from "../../formats";
import type { SourceNode } from "../../graph";

export type SvgAsset = Extract<Asset, { kind: "svg" }>;

/** What decodes artwork and clips; both are given at once, so a clip's frame has to be decoded beforehand. */
export interface Media {
  /** Artwork as premultiplied pixels `width` across. */
  drawArtwork(artwork: SvgAsset, width: number): Pixels8;
  /** Straight pixels of one frame. @throws Error when it could not be decoded */
  clipFrame(clip: ClipAsset, frame: FrameNumber): Pixels8;
  /** A picture of a stored sequence. @throws Error when it could not be read */
  storedFrame(sequence: string, frame: FrameNumber): Picture;
}

/** What a source may ask of the place it runs in. */
export interface SourceEnvironment<R extends Raster> {
  readonly canvas: Canvas<R>;
  readonly media: Media;
  readonly asset: (id: string) => Asset;
}

/** Draws a source over the whole of its node's window. The caller releases the raster. */
export type DrawSource = <R extends Raster>(node: SourceNode, environment: SourceEnvironment<R>) => R;
