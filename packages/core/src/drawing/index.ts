export * from "./canvas";
export * from "./effects";
export * from "./gaussian";
export type { Evaluated, Kind, Parameter, Parameters } from "./parameter";
export * from "./window";
