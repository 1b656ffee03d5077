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

/** The ledger as a table: names of the columns, and a row an item. */
export function ledgerTable(
  items: readonly SweepItem[],
  paths: PlacePaths,
): { readonly names: readonly string[]; readonly rows: readonly (readonly (string | number | boolean)[])[] } {
  const columns = Object.values(COLUMNS);
  return { names: Object.keys(COLUMNS), rows: items.map((item) => columns.map((column) => column(item, paths))) };
}

/** The ledger for other tools. @param madeMs when it was made, in milliseconds since the epoch */
export function ledgerJson(items: readonly SweepItem[], paths: PlacePaths, madeMs: number): string {
  const rows = items.map((item) =>
    Object.fromEntries(Object.entries(COLUMNS).map(([name, column]) => [name, column(item, paths)])),
  );
  const made = new Date(madeMs).toISOString();
  return JSON.stringify({ format: LEDGER_FORMAT, version: LEDGER_VERSION, made, items: rows }, null, 1);
}
