export * from "./nextSteps";
export * from "./scheduler";
export * from "./simulator";
export * from "./take";
