import type { FrameItem, ItemGroup } from "./item";

export const LEDGER_FORMAT = "kinetocache-ledger";
export const LEDGER_VERSION = 1;

/** An item as the ledger lists it. */
export interface LedgerItem extends FrameItem {
  /** Id of the location that it is in. */
  readonly location: string;
}

interface LedgerRow {
  readonly key: string;
  readonly owner: string;
  readonly name: string;
  readonly state: string;
  readonly reason: string;
  readonly location: string;
  readonly bytes: number;
  /** In UTC, as ISO 8601 has it. */
  readonly lastUsed: string;
  /** Empty where nothing can rebuild it. */
  readonly rebuildMs: number | "";
}

const COLUMNS = ["key", "owner", "name", "state", "reason", "location", "bytes", "lastUsed", "rebuildMs"] as const;

/** One row an item, in the order of the groups. Items of none of the groups came later, and are left out. */
function rowsOf(items: readonly LedgerItem[], groups: readonly ItemGroup[]): LedgerRow[] {
  const byKey = new Map<string, LedgerItem[]>();
  for (const item of items) byKey.set(item.key, [...(byKey.get(item.key) ?? []), item]);
  return groups.flatMap(({ owner, name, state, reason, keys, rebuildMs }) =>
    keys.flatMap((key) =>
      (byKey.get(key) ?? []).map(({ location, bytes, lastUsedMs, costMs }) => ({
        key,
        owner,
        name,
        state,
        reason,
        location,
        bytes,
        lastUsed: new Date(lastUsedMs).toISOString(),
        rebuildMs: rebuildMs === undefined ? ("" as const) : costMs,
      })),
    ),
  );
}

/** The ledger as comma-separated values (RFC 4180), a line an item under a line of names. */
export function ledgerCsv(items: readonly LedgerItem[], groups: readonly ItemGroup[]): string {
  const lines = rowsOf(items, groups).map((row) => COLUMNS.map((column) => field(String(row[column]))).join(","));
  return [COLUMNS.join(","), ...lines, ""].join("\r\n");
}

function field(text: string): string {
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** The ledger for other tools. @param madeMs when it was made, in milliseconds since the epoch */
export function ledgerJson(items: readonly LedgerItem[], groups: readonly ItemGroup[], madeMs: number): string {
  const made = new Date(madeMs).toISOString();
  return JSON.stringify(
    { format: LEDGER_FORMAT, version: LEDGER_VERSION, made, items: rowsOf(items, groups) },
    null,
    1,
  );
}
