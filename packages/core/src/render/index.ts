export { PIXEL_BYTES, type Canvas, type NoiseField, type Pixels8, type Raster, type Rgb } from "./canvas";
export * from "./colour";
export * from "./cost";
export { BYTES_A_PIXEL } from "./depth";
export { Evaluator, HELD_BYTES, RenderCancelled, type DrawArtwork, type Span } from "./evaluator";
export * from "./gaussian";
export { Renderer, type RenderedFrame, type RendererOptions } from "./renderer";
export { workUnits } from "./work";
export { workingBuffers, type WorkingBuffers } from "./workingBuffers";
