export * from "./drive";
export * from "./forecast";
export * from "./location";
export * from "./locationSchema";
export * from "./needs";
export * from "./packing";
export * from "./sequence";
export * from "./roles";
