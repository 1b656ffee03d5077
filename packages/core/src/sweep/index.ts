export * from "./item";
export * from "./reachable";
export * from "./settings";
