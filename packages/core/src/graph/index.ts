export * from "./bake";
export * from "./build";
export * from "./key";
export * from "./node";
export * from "./settings";
export * from "./window";
