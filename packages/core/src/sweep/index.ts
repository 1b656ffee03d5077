export * from "./item";
export * from "./ledger";
export * from "./reachable";
export * from "./settings";
