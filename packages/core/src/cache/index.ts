export * from "./eviction";
export * from "./memoryCache";
export * from "./timeline";
