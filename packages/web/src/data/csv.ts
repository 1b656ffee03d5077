import Papa from "papaparse";

// The package's own pattern lets a formula through whose first line breaks.
const FORMULA = /^[=+\-@\t\r]/;

/**
 * Comma-separated values (RFC 4180) under a line of names. What a spreadsheet would run as a formula has an apostrophe
 * before it: names of files and projects are of others.
 */
export function csvText(names: readonly string[], rows: readonly (readonly unknown[])[]): string {
  const table = [names, ...rows].map((row) => [...row]);
  return `${Papa.unparse(table, { newline: "\r\n", escapeFormulae: FORMULA })}\r\n`;
}
