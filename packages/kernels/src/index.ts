export { Arena, type LinearMemory } from "./arena";
export { dryKernels } from "./dry";
export * from "./kernels";
