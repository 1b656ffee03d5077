import type { EffectNode } from "../../graph";
import type { Canvas, Raster } from "../raster";

/** Makes the picture of an effect in its node's window. The input stays as it is; the caller releases both. */
export type ApplyEffect = (node: EffectNode, input: Raster, canvas: Canvas) => Raster;
