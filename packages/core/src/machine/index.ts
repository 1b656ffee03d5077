export * from "./memory";
