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

export type ItemState = "kept" | "in use" | "superseded" | "delivered" | "orphaned" | "idle";

/** What a user says of all that belongs to an owner: never sweep it, or it is done and can be made again. */
export type OwnerMark = "kept" | "delivered";

/** The documents that exist, and what is reachable from each. */
export interface Owners {
  /** Names by id. */
  readonly names: ReadonlyMap<string, string>;
  /** The keys among those of its items that a document, its undo history included, can still show. */
  readonly reachable: (owner: string) => ReadonlySet<ContentKey>;
  /** Id of the document that is open. */
  readonly open?: string;
  readonly marks: ReadonlyMap<string, OwnerMark>;
}

/** Use within this time counts as in use. */
export const RECENT_MS = 10 * 60 * 1000;

export interface Classified {
  readonly state: ItemState;
  readonly reason: string;
}

/** State of an item with its reason in words: the first that applies, and what the user keeps before all others. */
export function classify(item: FrameItem, owners: Owners, nowMs: number): Classified {
  const name = owners.names.get(item.owner);
  const mark = owners.marks.get(item.owner);
  if (mark === "kept") return { state: "kept", reason: `you keep all of ${name ?? item.owner}` };
  if (name === undefined) return { state: "orphaned", reason: "its composition is gone" };
  if (!owners.reachable(item.owner).has(item.key)) {
    return { state: "superseded", reason: `no state of ${name}, undone ones included, shows it` };
  }
  if (item.owner === owners.open) return { state: "in use", reason: `${name} is open` };
  if (mark === "delivered") return { state: "delivered", reason: `${name} is delivered` };
  if (nowMs - item.lastUsedMs < RECENT_MS) return { state: "in use", reason: "used in the last 10 minutes" };
  return { state: "idle", reason: `${name} can still show it` };
}

/** What goes unless the user says otherwise: nothing shows it any more, or what shows it is delivered. */
export function isSweepable(state: ItemState): boolean {
  return state === "superseded" || state === "orphaned" || state === "delivered";
}

/** Items of one owner in one state. */
export interface ItemGroup extends Classified {
  readonly owner: string;
  readonly name: string;
  readonly mark?: OwnerMark;
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
      const mark = owners.marks.get(item.owner);
      group = { ...classified, owner: item.owner, name, mark, keys: [], bytes: 0, lastUsedMs: 0 };
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
