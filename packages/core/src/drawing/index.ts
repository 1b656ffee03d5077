export * from "./canvas";
export { linearColour } from "./colour";
export * from "./effects";
export * from "./gaussian";
export type { Evaluated, Kind, Parameter, Parameters } from "./parameter";
export * from "./sources";
export * from "./srgb";
export * from "./window";
