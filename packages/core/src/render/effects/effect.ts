import type { EffectNode } from "../../graph";
import type { Canvas, Raster } from "../canvas";

/** Makes the picture of an effect in its node's window. The input stays as it is; the caller releases both. */
export type ApplyEffect = <R extends Raster>(node: EffectNode, input: R, canvas: Canvas<R>) => R;
