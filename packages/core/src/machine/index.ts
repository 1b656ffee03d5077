export * from "./compare";
export * from "./graphics";
export * from "./live";
export * from "./memory";
export * from "./programs";
export * from "./sheet";
export * from "./split";
export * from "./whatIf";
