export * from "./planner";
export * from "./prospect";
export * from "./state";
