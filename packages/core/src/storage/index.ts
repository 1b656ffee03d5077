export * from "./drive";
