export * from "./colour";
export * from "./cost";
export * from "./gaussian";
export {
  BYTES_A_PIXEL,
  HELD_BYTES,
  RenderCancelled,
  Renderer,
  type RenderedFrame,
  type RendererOptions,
} from "./renderer";
export type { Pixels8 } from "./sources";
export { workUnits } from "./work";
export { workingBuffers, type WorkingBuffers } from "./workingBuffers";
