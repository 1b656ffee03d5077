// The writers, which are loaded when a timeline goes out.
export { documentCut, writeEditList, writeOtio } from "@kinetocache/core";
