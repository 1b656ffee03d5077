export * from "./cache";
export * from "./composition";
export * from "./formats";
export * from "./graph";
export * from "./machine";
export * from "./playback";
export * from "./render";
export * from "./sweep";
