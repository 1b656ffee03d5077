export * from "./animation";
export * from "./blend";
export {
  freeId,
  idOf,
  MADE_SOURCES,
  newDocument,
  newEffect,
  newLayer,
  newMediaLayer,
  newNestedLayer,
  type MadeSource,
} from "./create";
export * from "./document";
export * from "./edit";
export * from "./fitting";
export { faultsOf, readJson } from "./faults";
export * from "./history";
export { isLayerByLayer, unnestingFault } from "./nesting";
export * from "./property";
export * from "./rate";
export { NAMED_RATES, parseLength, parseRate, rateName, rateNear } from "./typed";
export { DocumentError, migrateDocument } from "./migration";
export { parseDocument, parseDocumentText } from "./schema";
