import type { SweepItem } from "./item";

export const LEDGER_FORMAT = "kinetocache-ledger";
export const LEDGER_VERSION = 2;

/** Where items are, as a person knows it: paths by the id of their place. */
export type PlacePaths = ReadonlyMap<string, string>;

const COLUMNS = {
  project: ({ project }: SweepItem) => project,
  kind: ({ kind }: SweepItem) => kind,
  state: ({ state }: SweepItem) => state,
  reason: ({ reason }: SweepItem) => reason,
  bytes: ({ bytes }: SweepItem) => bytes,
  files: ({ files }: SweepItem) => files,
  /** In UTC, as ISO 8601 has it. */
  lastUsed: ({ usedMs }: SweepItem) => new Date(usedMs).toISOString(),
  /** Empty where nothing can rebuild it. */
  rebuildMs: ({ rebuildMs }: SweepItem) => (rebuildMs === undefined ? "" : Math.round(rebuildMs)),
  rebuildIsEstimate: ({ isEstimate }: SweepItem) => isEstimate ?? false,
  place: ({ place }: SweepItem, paths: PlacePaths) => paths.get(place) ?? place,
  item: ({ id }: SweepItem) => id,
} as const;

/** The ledger as comma-separated values, a line an item under a line of names. */
export function ledgerCsv(items: readonly SweepItem[], paths: PlacePaths): string {
  const columns = Object.values(COLUMNS);
  return csv(
    Object.keys(COLUMNS),
    items.map((item) => columns.map((column) => column(item, paths))),
  );
}

/** The ledger for other tools. @param madeMs when it was made, in milliseconds since the epoch */
export function ledgerJson(items: readonly SweepItem[], paths: PlacePaths, madeMs: number): string {
  const rows = items.map((item) =>
    Object.fromEntries(Object.entries(COLUMNS).map(([name, column]) => [name, column(item, paths)])),
  );
  const made = new Date(madeMs).toISOString();
  return JSON.stringify({ format: LEDGER_FORMAT, version: LEDGER_VERSION, made, items: rows }, null, 1);
}

/** Comma-separated values (RFC 4180). */
export function csv(names: readonly string[], rows: readonly (readonly unknown[])[]): string {
  const lines = [names, ...rows].map((row) => row.map((value) => field(String(value))).join(","));
  return [...lines, ""].join("\r\n");
}

function field(text: string): string {
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
