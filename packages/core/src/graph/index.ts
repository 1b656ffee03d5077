export * from "./bake";
export * from "./build";
export { parametersAt } from "./effectNodes";
export * from "./key";
export * from "./node";
export * from "./settings";
export { SharedLayers } from "./sharedLayers";
