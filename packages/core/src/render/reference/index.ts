/** A plain TypeScript version of every kernel: what the kernels are tested against. */
export * as blend from "./blend";
export * as blur from "./blur";
export * as convert from "./convert";
export * as effects from "./effects";
export * as noise from "./noise";
export * as picture from "./picture";
export * as resample from "./resample";
export * as sources from "./sources";
