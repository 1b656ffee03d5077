import type { Milliseconds } from "../composition";
import type { Bytes } from "../machine";
import { linkShare, type Link } from "./foundItem";
import type { SweepItem } from "./item";

/** Something that was chosen and does not go. */
export interface Skipped {
  readonly place: string;
  readonly id: string;
  readonly reason: string;
}

/** Exactly what would move. */
export interface SweepPlan {
  readonly items: readonly SweepItem[];
  readonly files: number;
  /** What comes back once holding is emptied; content that has other names elsewhere does not. */
  readonly bytes: Bytes;
  /** Of it, per place. */
  readonly bytesByPlace: Readonly<Record<string, Bytes>>;
  readonly rebuildMs: Milliseconds;
  readonly isEstimate: boolean;
  /** Bytes of what nothing can make again. */
  readonly lostBytes: Bytes;
  readonly skipped: readonly Skipped[];
}

/** An item that was chosen, looked at once more. */
export interface Chosen {
  readonly item: SweepItem;
  readonly links?: readonly Link[];
  /** Why it cannot go; undefined when it can. */
  readonly fault?: string;
}

/**
 * What of the chosen items goes: never what is kept or in use, nothing twice, and nothing that is not below its place.
 * @param skippedBefore what was chosen and is not listed any more
 */
export function planSweep(chosen: readonly Chosen[], skippedBefore: readonly Skipped[] = []): SweepPlan {
  const items: SweepItem[] = [];
  const skipped = [...skippedBefore];
  const taken = new Set<SweepItem>();
  const bytesByPlace: Record<string, Bytes> = {};
  // How many names of some content go.
  const links = new Map<string, number>();
  const total = { files: 0, rebuildMs: 0, lostBytes: 0, isEstimate: false };
  for (const { item, links: own = [], fault } of chosen) {
    const { place, id } = item;
    const reason = fault ?? faultOf(item) ?? (taken.has(item) ? "chosen twice" : undefined);
    if (reason !== undefined) {
      skipped.push({ place, id, reason });
      continue;
    }
    taken.add(item);
    items.push(item);
    total.files += item.files;
    total.isEstimate ||= item.isEstimate ?? false;
    if (item.rebuildMs === undefined) total.lostBytes += item.bytes;
    else total.rebuildMs += item.rebuildMs;
    let bytes = item.bytes;
    for (const link of own) {
      // Of what an item counts, this is given back when its last name goes.
      bytes -= linkShare(link);
      const seen = 1 + (links.get(`${place}/${link.inode}`) ?? 0);
      links.set(`${place}/${link.inode}`, seen);
      if (seen === link.count) bytes += link.bytes;
    }
    bytesByPlace[place] = (bytesByPlace[place] ?? 0) + bytes;
  }
  const bytes = Object.values(bytesByPlace).reduce((sum, one) => sum + one, 0);
  return { items, bytes, bytesByPlace, skipped, ...total };
}

/** Plans of different places as one. */
export function joinPlans(plans: readonly SweepPlan[]): SweepPlan {
  const sum = (value: (plan: SweepPlan) => number) => plans.reduce((total, plan) => total + value(plan), 0);
  return {
    items: plans.flatMap(({ items }) => items),
    files: sum(({ files }) => files),
    bytes: sum(({ bytes }) => bytes),
    bytesByPlace: Object.fromEntries(plans.flatMap(({ bytesByPlace }) => Object.entries(bytesByPlace))),
    rebuildMs: sum(({ rebuildMs }) => rebuildMs),
    isEstimate: plans.some(({ isEstimate }) => isEstimate),
    lostBytes: sum(({ lostBytes }) => lostBytes),
    skipped: plans.flatMap(({ skipped }) => skipped),
  };
}

function faultOf({ state, reason, id }: SweepItem): string | undefined {
  if (state === "kept" || state === "in use") return reason;
  return isSafePath(id) ? undefined : "its path leads out of its folder";
}

// A part that is empty, "." or "..", or a byte that no name has.
const UNSAFE = /(^|\/)\.{0,2}(\/|$)|\0/;

/** Whether a path stays below the folder that it starts from. */
export function isSafePath(path: string): boolean {
  return !UNSAFE.test(path);
}
