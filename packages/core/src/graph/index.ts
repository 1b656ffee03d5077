export * from "./build";
export * from "./key";
export * from "./node";
export * from "./window";
