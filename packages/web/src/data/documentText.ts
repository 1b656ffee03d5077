// Most of it is the schema, which is loaded when a file is brought in.
export { parseDocumentText } from "@kinetocache/core";
