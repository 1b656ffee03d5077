import type { Milliseconds } from "../composition";
import type { ContentKey } from "../graph";
import type { Bytes } from "../machine";
import type { SequenceState } from "../storage";
import type { Shown } from "./reachable";
import type { ItemKind } from "./ruleFile";

export const ITEM_STATES = ["kept", "in use", "superseded", "delivered", "orphaned", "ownerless", "idle"] as const;
export type ItemState = (typeof ITEM_STATES)[number];

export interface Classified {
  readonly state: ItemState;
  readonly reason: string;
}

/** A file or a folder that belongs together, as the ledger lists it. */
export interface SweepItem extends Classified {
  /** Id of the location or of the registered folder that it is in. */
  readonly place: string;
  /** Unique in its place: key of a frame, id of a sequence, or path below the folder. */
  readonly id: string;
  readonly kind: ItemKind;
  /** Of a cached frame that its composition can still show: which one it is. */
  readonly shows?: Shown;
  /** What tells projects apart; undefined where nothing says whose it is. */
  readonly owner?: string;
  /** The owner's name; empty where there is none. */
  readonly project: string;
  /** Taken on the drive. */
  readonly bytes: Bytes;
  readonly files: number;
  /** Milliseconds since the epoch. */
  readonly usedMs: number;
  /** What making it again takes; undefined when nothing can. */
  readonly rebuildMs?: Milliseconds;
  /** Whether that follows from its size alone. */
  readonly isEstimate?: boolean;
}

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

/** What a user says of all that belongs to an owner: never sweep it, or it is done and can be made again. */
export type OwnerMark = "kept" | "delivered";

/** The documents that exist, and what is reachable from each. */
export interface Owners {
  /** Names by id. */
  readonly names: ReadonlyMap<string, string>;
  /** The keys among those of its items that a document, its undo history included, can still show. */
  readonly reachable: (owner: string) => Pick<ReadonlyMap<ContentKey, Shown>, "has" | "get">;
  /** Ids of the documents that are open, in whichever tab. */
  readonly open: ReadonlySet<string>;
  readonly marks: ReadonlyMap<string, OwnerMark>;
}

/** Use within this time counts as in use. */
export const RECENT_MS = 10 * 60 * 1000;

/** State of a frame with its reason in words: the first that applies, and what the user keeps before all others. */
export function classify(item: FrameItem, owners: Owners, nowMs: number): Classified {
  const name = owners.names.get(item.owner);
  const mark = owners.marks.get(item.owner);
  if (mark === "kept") return { state: "kept", reason: `you keep all of ${name ?? item.owner}` };
  if (name === undefined) return { state: "orphaned", reason: "its composition is gone" };
  if (!owners.reachable(item.owner).has(item.key)) {
    return { state: "superseded", reason: `no state of ${name}, undone ones included, shows it` };
  }
  if (owners.open.has(item.owner)) return { state: "in use", reason: `${name} is open` };
  if (mark === "delivered") return { state: "delivered", reason: `${name} is delivered` };
  if (nowMs - item.lastUsedMs < RECENT_MS) return { state: "in use", reason: "used in the last 10 minutes" };
  return { state: "idle", reason: `${name} can still show it` };
}

/** Frames of the disk cache as the ledger lists them. */
export function frameItems(
  frames: readonly (FrameItem & { readonly location: string })[],
  owners: Owners,
  nowMs: number,
): SweepItem[] {
  return frames.map((frame) => {
    const classified = classify(frame, owners, nowMs);
    const shows = owners.names.has(frame.owner) ? owners.reachable(frame.owner).get(frame.key) : undefined;
    return {
      place: frame.location,
      id: frame.key,
      ...(shows ? { shows } : {}),
      kind: "frames",
      owner: frame.owner,
      project: owners.names.get(frame.owner) ?? frame.owner,
      ...classified,
      bytes: frame.bytes,
      files: 1,
      usedMs: frame.lastUsedMs,
      ...(classified.state === "orphaned" ? {} : { rebuildMs: frame.costMs }),
    };
  });
}

/**
 * Baked sequences as the ledger lists them.
 * @param played ids of those that a composition plays; undefined where that is not known
 */
export function sequenceItems(
  sequences: readonly SequenceState[],
  played: ReadonlySet<string> | undefined,
): SweepItem[] {
  return sequences.map(({ id, location, name, bytes, stored, createdMs }): SweepItem => {
    const base = {
      place: location,
      id,
      kind: "baked" as const,
      project: name,
      bytes,
      files: stored,
      usedMs: createdMs,
    };
    if (!played) return { ...base, state: "idle", reason: "a composition may play it" };
    return played.has(id)
      ? { ...base, state: "in use", reason: "a composition plays it" }
      : { ...base, state: "orphaned", reason: "no composition plays it" };
  });
}

/** What goes unless the user says otherwise: nothing needs it any more, or what needs it is delivered. */
export function isSweepable(state: ItemState, kind: ItemKind = "frames"): boolean {
  if (kind === "backups") return false;
  return state === "superseded" || state === "orphaned" || state === "delivered" || state === "ownerless";
}

/** Items that a ledger shows as one line: of one project, one kind and one state, in one place. */
export interface ItemGroup extends Classified {
  readonly id: string;
  readonly place: string;
  readonly kind: ItemKind;
  readonly owner?: string;
  readonly project: string;
  readonly items: readonly SweepItem[];
  readonly bytes: Bytes;
  readonly files: number;
  readonly usedMs: number;
  /** Undefined when nothing can rebuild it. */
  readonly rebuildMs?: Milliseconds;
  readonly isEstimate: boolean;
}

/** Groups items, the largest first. The reason is that of the largest item. */
export function groupItems(items: readonly SweepItem[]): ItemGroup[] {
  const groups = new Map<string, { -readonly [K in keyof ItemGroup]: ItemGroup[K] } & { items: SweepItem[] }>();
  for (const item of items) {
    const { place, kind, owner, project, state, reason } = item;
    // Versions of a project have one owner, and baked sequences none.
    const id = `${place}/${kind}/${state}/${owner ?? ""}/${project}`;
    let group = groups.get(id);
    if (!group) {
      group = { id, place, kind, owner, project, state, reason, ...NOTHING, items: [] };
      groups.set(id, group);
    }
    group.items.push(item);
    group.bytes += item.bytes;
    group.files += item.files;
    group.usedMs = Math.max(group.usedMs, item.usedMs);
    group.isEstimate ||= item.isEstimate ?? false;
    if (item.rebuildMs !== undefined) group.rebuildMs = (group.rebuildMs ?? 0) + item.rebuildMs;
  }
  return [...groups.values()].sort((a, b) => b.bytes - a.bytes);
}

const NOTHING = { bytes: 0, files: 0, usedMs: 0, isEstimate: false };
