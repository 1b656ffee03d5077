export * from "./animation";
export * from "./catalogue";
export * from "./document";
export * from "./edit";
export * from "./fitting";
export { faultsOf, readJson } from "./faults";
export * from "./history";
export * from "./rate";
export { DocumentError, migrateDocument, parseDocument, parseDocumentText } from "./schema";
