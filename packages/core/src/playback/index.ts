export * from "./forecast";
export * from "./nextSteps";
export * from "./scheduler";
export * from "./simulator";
export * from "./spread";
export * from "./take";
