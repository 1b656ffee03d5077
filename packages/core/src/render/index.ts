export { NO_BRANCHES, type Branch, type BranchExchange } from "./branch";
export {
  PIXEL_BYTES,
  RenderCancelled,
  type Canvas,
  type LinearPixels,
  type NoiseField,
  type Pixels8,
  type Raster,
  type Rgb,
} from "./canvas";
export * from "./colour";
export * from "./cost";
export { BYTES_A_PIXEL } from "./depth";
export { Evaluator, HELD_BYTES, type Span } from "./evaluator";
export * from "./gaussian";
export { redepth } from "./redepth";
export { Renderer, type RenderedBranch, type RenderedFrame, type RendererOptions } from "./renderer";
export type { Media } from "./sources";
export { workUnits } from "./work";
export { workingBuffers, type WorkingBuffers } from "./workingBuffers";
