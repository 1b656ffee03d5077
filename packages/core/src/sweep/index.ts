export * from "./item";
export * from "./reachable";
