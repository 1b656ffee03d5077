export * from "./planner";
export * from "./state";
