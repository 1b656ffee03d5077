import type { Milliseconds } from "../composition";
import type { ContentKey } from "../graph";
import type { Bytes } from "../machine";

/** A frame file of the disk cache, as the server lists it. */
export interface FrameItem {
  readonly key: ContentKey;
  /** Id of the document that it was rendered for. */
  readonly owner: string;
  /** Bytes allocated on disk. */
  readonly bytes: Bytes;
  /** Milliseconds since the epoch. */
  readonly lastUsedMs: number;
  /** What rendering it took; what rendering it again would take. */
  readonly costMs: Milliseconds;
}

/** States in the order in which they are tried; the first that applies is the item's. */
export type ItemState = "in use" | "superseded" | "orphaned" | "idle";

/** The documents that exist, and what is reachable from each. */
export interface Owners {
  /** Names by id. */
  readonly names: ReadonlyMap<string, string>;
  /** Every key that a document, its undo history included, can still show. */
  readonly reachable: (owner: string) => ReadonlySet<ContentKey>;
  /** Id of the document that is open. */
  readonly open?: string;
}

/** Use within this time counts as in use. */
export const RECENT_MS = 10 * 60 * 1000;

export interface Classified {
  readonly state: ItemState;
  readonly reason: string;
}

/** State of an item with its reason in words. */
export function classify(item: FrameItem, owners: Owners, nowMs: number): Classified {
  const name = owners.names.get(item.owner);
  if (name === undefined) return { state: "orphaned", reason: "its composition is gone" };
  if (!owners.reachable(item.owner).has(item.key)) {
    return { state: "superseded", reason: `no state of ${name}, undone ones included, shows it` };
  }
  if (item.owner === owners.open) return { state: "in use", reason: `${name} is open` };
  if (nowMs - item.lastUsedMs < RECENT_MS) return { state: "in use", reason: "used in the last 10 minutes" };
  return { state: "idle", reason: `${name} can still show it` };
}

/** What may be swept without losing anything that a composition can still show. */
export function isSweepable(state: ItemState): boolean {
  return state === "superseded" || state === "orphaned";
}

/** Items of one owner in one state. */
export interface ItemGroup extends Classified {
  readonly owner: string;
  readonly name: string;
  readonly keys: readonly ContentKey[];
  readonly bytes: Bytes;
  readonly lastUsedMs: number;
  /** Undefined when nothing can rebuild it. */
  readonly rebuildMs?: Milliseconds;
}

/** Groups items by owner and state, the largest first. */
export function groupItems(items: readonly FrameItem[], owners: Owners, nowMs: number): ItemGroup[] {
  const groups = new Map<string, { -readonly [K in keyof ItemGroup]: ItemGroup[K] } & { keys: ContentKey[] }>();
  for (const item of items) {
    const classified = classify(item, owners, nowMs);
    const id = `${item.owner}/${classified.state}`;
    let group = groups.get(id);
    if (!group) {
      const name = owners.names.get(item.owner) ?? item.owner;
      group = { ...classified, owner: item.owner, name, keys: [], bytes: 0, lastUsedMs: 0 };
      if (classified.state !== "orphaned") group.rebuildMs = 0;
      groups.set(id, group);
    }
    group.keys.push(item.key);
    group.bytes += item.bytes;
    group.lastUsedMs = Math.max(group.lastUsedMs, item.lastUsedMs);
    if (group.rebuildMs !== undefined) group.rebuildMs += item.costMs;
  }
  return [...groups.values()].sort((a, b) => b.bytes - a.bytes);
}
