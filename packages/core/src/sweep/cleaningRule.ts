import type { Bytes } from "../machine";
import type { SweepItem } from "./item";
import type { ItemKind } from "./ruleFile";

/** What goes first when a cap is passed. */
export const CAP_ORDERS = ["least recently used", "quickest to rebuild", "largest first"] as const;
export type CapOrder = (typeof CAP_ORDERS)[number];

/** What a rule does with the items that it is for. */
export type RuleAction =
  /** Those unused for so many days go, younger ones stay. */
  | { readonly kind: "age"; readonly days: number }
  /** As many go, in an order, as are over the cap. */
  | { readonly kind: "cap"; readonly bytes: Bytes; readonly order: CapOrder }
  /** Those of a composition go when it is closed. */
  | { readonly kind: "close" }
  | { readonly kind: "never" };

export interface CleaningRule {
  readonly id: string;
  readonly on: boolean;
  /** Every kind but backups when there are none. */
  readonly kinds: readonly ItemKind[];
  /** Folder where the drive is mounted; every drive when left out. */
  readonly drive?: string;
  readonly action: RuleAction;
  /** It only applies while the drive has less than this free. */
  readonly whenFreeBelow?: Bytes;
}

export const DEFAULT_CLEANING_RULES: readonly CleaningRule[] = [
  { id: "frames", on: false, kinds: ["frames"], action: { kind: "age", days: 30 } },
  { id: "temporary", on: false, kinds: ["temporary", "logs"], action: { kind: "age", days: 14 } },
  { id: "backups", on: true, kinds: ["backups"], action: { kind: "never" } },
];

/** A drive as far as rules go. */
export interface RuledDrive {
  readonly mount: string;
  readonly freeBytes: Bytes;
}

/** What the rules say of items that at least one of them would take. */
export interface RuleVerdict {
  readonly item: SweepItem;
  /** Id of the rule that takes it. */
  readonly takenBy: string;
  /** Id of the rule that keeps it all the same. */
  readonly keptBy?: string;
}

const DAY_MS = 24 * 3600 * 1000;

export interface RuleCircumstances {
  /** By place: the drive that it is on. */
  readonly drives: ReadonlyMap<string, RuledDrive>;
  readonly nowMs: number;
  /** The composition that was just closed, by its id. */
  readonly closed?: string;
}

/**
 * What rules take. Where one takes an item and another keeps it, it is kept. What is kept or in use is never taken, and
 * a backup only by a rule that names backups.
 */
export function judge(
  rules: readonly CleaningRule[],
  items: readonly SweepItem[],
  circumstances: RuleCircumstances,
): RuleVerdict[] {
  const taken = new Map<SweepItem, string>();
  const kept = new Map<SweepItem, string>();
  for (const rule of rules) {
    if (!rule.on) continue;
    const own = items.filter((item) => isFor(rule, item, circumstances));
    const { takes, keeps } = apply(rule.action, own, circumstances);
    for (const item of takes) if (!taken.has(item)) taken.set(item, rule.id);
    for (const item of keeps) if (!kept.has(item)) kept.set(item, rule.id);
  }
  return [...taken].map(([item, takenBy]) => {
    const keptBy = kept.get(item);
    return keptBy === undefined ? { item, takenBy } : { item, takenBy, keptBy };
  });
}

function isFor({ kinds, drive, whenFreeBelow }: CleaningRule, item: SweepItem, { drives }: RuleCircumstances): boolean {
  if (item.state === "kept" || item.state === "in use") return false;
  if (kinds.length === 0 ? item.kind === "backups" : !kinds.includes(item.kind)) return false;
  const on = drives.get(item.place);
  if (drive !== undefined && on?.mount !== drive) return false;
  return whenFreeBelow === undefined || (on !== undefined && on.freeBytes < whenFreeBelow);
}

interface Outcome {
  readonly takes: readonly SweepItem[];
  readonly keeps: readonly SweepItem[];
}

function apply(action: RuleAction, items: readonly SweepItem[], { nowMs, closed }: RuleCircumstances): Outcome {
  switch (action.kind) {
    case "never":
      return { takes: [], keeps: items };
    case "close":
      return { takes: closed === undefined ? [] : items.filter(({ owner }) => owner === closed), keeps: [] };
    case "age": {
      const isOld = ({ usedMs }: SweepItem) => nowMs - usedMs >= action.days * DAY_MS;
      return { takes: items.filter(isOld), keeps: items.filter((item) => !isOld(item)) };
    }
    case "cap":
      return { takes: overCap(items, action), keeps: [] };
  }
}

function overCap(items: readonly SweepItem[], { bytes, order }: RuleAction & { kind: "cap" }): SweepItem[] {
  let over = items.reduce((sum, item) => sum + item.bytes, 0) - bytes;
  const takes: SweepItem[] = [];
  for (const item of [...items].sort(ORDERS[order])) {
    if (over <= 0) break;
    takes.push(item);
    over -= item.bytes;
  }
  return takes;
}

const ORDERS: Readonly<Record<CapOrder, (a: SweepItem, b: SweepItem) => number>> = {
  "least recently used": (a, b) => a.usedMs - b.usedMs,
  // What nothing can make again goes last.
  "quickest to rebuild": (a, b) => (a.rebuildMs ?? Infinity) - (b.rebuildMs ?? Infinity) || a.usedMs - b.usedMs,
  "largest first": (a, b) => b.bytes - a.bytes,
};

/** What a rule would take, or took. */
export interface RuleReport {
  readonly rule: string;
  readonly items: number;
  readonly bytes: Bytes;
  /** What it would take besides, and other rules keep. */
  readonly kept: readonly { readonly rule: string; readonly items: number; readonly bytes: Bytes }[];
}

/** Verdicts by the rule that takes. */
export function ruleReports(rules: readonly CleaningRule[], verdicts: readonly RuleVerdict[]): RuleReport[] {
  return rules.map(({ id }) => {
    const own = verdicts.filter(({ takenBy }) => takenBy === id);
    const goes = own.filter(({ keptBy }) => keptBy === undefined);
    const keepers = [...new Set(own.flatMap(({ keptBy }) => keptBy ?? []))];
    const sum = (list: readonly RuleVerdict[]) => ({
      items: list.length,
      bytes: list.reduce((total, { item }) => total + item.bytes, 0),
    });
    return {
      rule: id,
      ...sum(goes),
      kept: keepers.map((rule) => ({ rule, ...sum(own.filter(({ keptBy }) => keptBy === rule)) })),
    };
  });
}
