// Most of it are schemas, which are loaded when a sheet is brought in.
export { parseSheet, parseSheetText } from "@kinetocache/core";
export { acceptSettings } from "./settingsSchema";
