import { isSweepable, type ItemGroup, type ItemKind, type ItemState, type SweepItem } from "@kinetocache/core";
import type { LedgerPlace } from "../../data/ledger";
import { itemText, projectText } from "./sweepWords";

/** Which items are listed. What is left out leaves none out. */
export interface LedgerFilter {
  readonly kind?: ItemKind;
  readonly state?: ItemState | "stale";
  /** Folder where the drive is mounted. */
  readonly drive?: string;
  readonly project?: string;
  readonly olderThanDays?: number;
  readonly largerThan?: number;
  readonly search: string;
}

export const EVERYTHING: LedgerFilter = { search: "" };

export type SortColumn = "project" | "kind" | "state" | "bytes" | "usedMs" | "rebuildMs";

export interface Sort {
  readonly column: SortColumn;
  readonly isDown: boolean;
}

/** A line of the ledger: a group, or one of its items. */
export type LedgerRow =
  | { readonly group: ItemGroup; readonly item?: undefined }
  | { readonly group?: undefined; readonly item: SweepItem; readonly isInside: boolean };

const DAY_MS = 24 * 3600 * 1000;

/** Identifies an item among all of them. */
export function itemKey({ place, id }: Pick<SweepItem, "place" | "id">): string {
  return `${place}/${id}`;
}

/** The items that a filter lets through. */
export function filterItems(
  items: readonly SweepItem[],
  filter: LedgerFilter,
  places: readonly LedgerPlace[],
  nowMs: number,
): readonly SweepItem[] {
  const { kind, state, drive, project, olderThanDays, largerThan } = filter;
  const onDrive =
    drive === undefined ? undefined : new Set(places.flatMap((one) => (one.drive === drive ? [one.id] : [])));
  const before = olderThanDays === undefined ? undefined : nowMs - olderThanDays * DAY_MS;
  const words = filter.search.toLowerCase().trim();
  const isPlain = kind === undefined && state === undefined && project === undefined && largerThan === undefined;
  if (isPlain && !onDrive && before === undefined && words === "") return items;
  return items.filter(
    (item) =>
      (kind === undefined || item.kind === kind) &&
      (state === undefined || (state === "stale" ? isSweepable(item.state, item.kind) : item.state === state)) &&
      (!onDrive || onDrive.has(item.place)) &&
      (project === undefined || item.project === project) &&
      (before === undefined || item.usedMs <= before) &&
      (largerThan === undefined || item.bytes > largerThan) &&
      (words === "" ||
        item.id.toLowerCase().includes(words) ||
        (item.shows !== undefined && itemText(item).toLowerCase().includes(words)) ||
        projectText(item.project).toLowerCase().includes(words)),
  );
}

type Sortable = Pick<SweepItem, "project" | "kind" | "state" | "bytes" | "usedMs" | "rebuildMs">;

function compare(a: Sortable, b: Sortable, { column, isDown }: Sort): number {
  const sign = isDown ? -1 : 1;
  if (column === "bytes" || column === "usedMs") return sign * (a[column] - b[column]);
  // What nothing can rebuild costs most.
  if (column === "rebuildMs")
    return sign * ((a.rebuildMs ?? Infinity) - (b.rebuildMs ?? Infinity)) || b.bytes - a.bytes;
  return sign * (a[column] < b[column] ? -1 : a[column] > b[column] ? 1 : 0) || b.bytes - a.bytes;
}

/** Frames of a composition by their number, of one size after those of another, before all else. */
function inOrder({ shows: a }: SweepItem, { shows: b }: SweepItem): number {
  if (!a || !b) return Number(!a) - Number(!b);
  return b.fraction - a.fraction || a.frame - b.frame;
}

/**
 * Groups in the order that was chosen, each followed by its items where it is open: cached frames by their number,
 * others in the order that was chosen.
 */
export function groupedRows(groups: readonly ItemGroup[], open: ReadonlySet<string>, sort: Sort): LedgerRow[] {
  const rows: LedgerRow[] = [];
  for (const group of [...groups].sort((a, b) => compare(a, b, sort))) {
    rows.push({ group });
    if (!open.has(group.id)) continue;
    const items = [...group.items].sort((a, b) => inOrder(a, b) || compare(a, b, sort));
    for (const item of items) rows.push({ item, isInside: true });
  }
  return rows;
}

/** The items in the order that was chosen, without groups. */
export function plainRows(items: readonly SweepItem[], sort: Sort): LedgerRow[] {
  return [...items].sort((a, b) => compare(a, b, sort)).map((item) => ({ item, isInside: false }));
}

/** Whether an item is stale and has no owner that could make it again: somebody has to look at it first. */
export function isUnowned({ state, kind, rebuildMs }: SweepItem): boolean {
  const isAbandoned = state === "orphaned" || state === "ownerless";
  return isAbandoned && isSweepable(state, kind) && rebuildMs === undefined;
}

/** What is selected unless the user says otherwise: what is stale, but for what nothing can make again. */
export function staleKeys(items: readonly SweepItem[]): Set<string> {
  const keys = new Set<string>();
  for (const item of items) if (isSweepable(item.state, item.kind) && !isUnowned(item)) keys.add(itemKey(item));
  return keys;
}

/** Whether an item can be selected at all. */
export function isSelectable({ state }: SweepItem): boolean {
  return state !== "kept" && state !== "in use";
}

/** How much of some items is selected. */
export type Share = "all" | "some" | "none";

export function selectedShare(items: readonly SweepItem[], selected: ReadonlySet<string>): Share {
  let all = true;
  let any = false;
  for (const item of items) {
    if (!isSelectable(item)) continue;
    if (selected.has(itemKey(item))) any = true;
    else all = false;
    if (any && !all) return "some";
  }
  return any ? "all" : "none";
}

/** A selection with some items added, or taken away. */
export function withItems(
  selected: ReadonlySet<string>,
  items: readonly SweepItem[],
  isIn: boolean,
): ReadonlySet<string> {
  const next = new Set(selected);
  for (const item of items) {
    if (!isIn) next.delete(itemKey(item));
    else if (isSelectable(item)) next.add(itemKey(item));
  }
  return next;
}

/** Selected items by their places, as the server takes them. */
export function selectionOf(
  items: readonly SweepItem[],
  selected: ReadonlySet<string>,
): { readonly place: string; readonly ids: string[] }[] {
  const places = new Map<string, string[]>();
  for (const item of items) {
    if (!isSelectable(item) || !selected.has(itemKey(item))) continue;
    const ids = places.get(item.place) ?? [];
    ids.push(item.id);
    places.set(item.place, ids);
  }
  return [...places].map(([place, ids]) => ({ place, ids }));
}

/** What a drive holds, as far as sweeping goes. */
export interface DriveParts {
  readonly mount: string;
  readonly name: string;
  readonly totalBytes: number;
  readonly freeBytes: number;
  readonly otherBytes: number;
  /** What the file system keeps for itself, or for the administrator. */
  readonly reservedBytes: number;
  readonly liveBytes: number;
  readonly staleBytes: number;
  /** Stale as well, but nothing can make it again. */
  readonly unownedBytes: number;
  readonly holdingBytes: number;
  /** Of the locations on it that have one. */
  readonly capBytes?: number;
}

/** Each drive that holds anything that could be swept. */
export function driveParts(
  drives: readonly {
    readonly mount: string;
    readonly device: string;
    readonly simulated: boolean;
    readonly totalBytes: number;
    readonly freeBytes: number;
    readonly usedBytes: number;
  }[],
  places: readonly LedgerPlace[],
  items: readonly SweepItem[],
): DriveParts[] {
  const sums = new Map<string, { live: number; stale: number; unowned: number }>();
  for (const item of items) {
    const sum = sums.get(item.place) ?? { live: 0, stale: 0, unowned: 0 };
    if (isUnowned(item)) sum.unowned += item.bytes;
    else if (isSweepable(item.state, item.kind)) sum.stale += item.bytes;
    else sum.live += item.bytes;
    sums.set(item.place, sum);
  }
  return drives.flatMap(({ mount, device, simulated, totalBytes, freeBytes, usedBytes }) => {
    const own = places.filter(({ drive }) => drive === mount);
    if (own.length === 0) return [];
    const total = (value: (place: LedgerPlace) => number) => own.reduce((sum, place) => sum + value(place), 0);
    const liveBytes = total(({ id }) => sums.get(id)?.live ?? 0);
    const staleBytes = total(({ id }) => sums.get(id)?.stale ?? 0);
    const unownedBytes = total(({ id }) => sums.get(id)?.unowned ?? 0);
    const holdingBytes = total((place) => place.holdingBytes);
    const caps = own.flatMap(({ capBytes }) => capBytes ?? []);
    const otherBytes = Math.max(0, usedBytes - liveBytes - staleBytes - unownedBytes - holdingBytes);
    const taken = otherBytes + liveBytes + staleBytes + unownedBytes + holdingBytes;
    return [
      {
        mount,
        name: simulated ? device : mount,
        totalBytes,
        freeBytes,
        otherBytes,
        reservedBytes: Math.max(0, totalBytes - freeBytes - taken),
        liveBytes,
        staleBytes,
        unownedBytes,
        holdingBytes,
        ...(caps.length > 0 ? { capBytes: caps.reduce((sum, cap) => sum + cap, 0) } : {}),
      },
    ];
  });
}
