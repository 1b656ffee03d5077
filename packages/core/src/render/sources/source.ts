import type { Asset } from "../../composition";
import type { SourceNode } from "../../graph";
import type { Canvas, Pixels8, Raster } from "../canvas";

export type SvgAsset = Extract<Asset, { kind: "svg" }>;

/** What a source may ask of the place it runs in. */
export interface SourceEnvironment<R extends Raster> {
  readonly canvas: Canvas<R>;
  asset(id: string): Asset;
  /** Artwork as premultiplied pixels `width` across. */
  drawArtwork(artwork: SvgAsset, width: number): Pixels8;
}

/** Draws a source over the whole of its node's window. The caller releases the raster. */
export type DrawSource = <R extends Raster>(node: SourceNode, environment: SourceEnvironment<R>) => R;
