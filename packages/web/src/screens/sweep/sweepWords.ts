import {
  emptiesInMs,
  type CleaningRule,
  type ItemKind,
  type Stayed,
  type SweepItem,
  type SweepSettings,
} from "@kinetocache/core";
import { bytesText, countText, durationText, fractionText } from "../../parts/format";

/** @param stayed at least one */
export function stayedText(stayed: readonly Stayed[]): string {
  return `${countText(stayed.length, "item")} stayed in holding: ${stayed[0]!.path}: ${stayed[0]!.reason}`;
}

/** What an item is called: a cached frame by its number, as far as that is known, and all else by its path. */
export function itemText({ id, shows }: Pick<SweepItem, "id" | "shows">): string {
  return shows ? `Frame ${shows.frame} at ${fractionText(shows.fraction)}` : id;
}

/** What a project is called where it has no name. */
export function projectText(project: string): string {
  return project === "" ? "Unclaimed" : project;
}

/** What making something again takes. */
export function rebuildText({ rebuildMs, isEstimate }: Pick<SweepItem, "rebuildMs" | "isEstimate">): string {
  if (rebuildMs === undefined) return "cannot be rebuilt";
  if (rebuildMs === 0) return "not needed";
  return `${durationText(rebuildMs)}${isEstimate ? " est." : ""}`;
}

/** When a batch goes for good by itself. */
export function goesText(waitedMs: number, settings: SweepSettings | undefined): string {
  const leftMs = settings && emptiesInMs(waitedMs, settings);
  if (leftMs === undefined) return "stays until you empty it";
  return leftMs > 0 ? `goes in ${durationText(leftMs)}` : "goes within minutes";
}

const KINDS: Readonly<Record<ItemKind, string>> = {
  frames: "Frames",
  baked: "Baked frames",
  proxies: "Proxies",
  "import indexes": "Import indexes",
  backups: "Backups",
  temporary: "Temporary",
  logs: "Logs",
};

export function kindText(kind: ItemKind): string {
  return KINDS[kind];
}

/** A rule in one sentence. */
export function ruleText({ kinds, action, drive, whenFreeBelow }: CleaningRule): string {
  const what = kinds.length === 0 ? "Everything but backups" : kinds.map(kindText).join(", ");
  const where = drive === undefined ? "" : ` on ${drive}`;
  const when = whenFreeBelow === undefined ? "" : ` while it has less than ${bytesText(whenFreeBelow)} free`;
  switch (action.kind) {
    case "age":
      return `${what}${where} unused for ${action.days} days go${when}`;
    case "cap":
      return `${what}${where} over ${bytesText(action.bytes)} go, ${action.order}${when}`;
    case "close":
      return `${what}${where} of a composition go when it is closed${when}`;
    case "never":
      return `${what}${where} never go${when}`;
  }
}

/** How much of the rules disagree with one, in words; empty where none does. */
export function conflictText(
  kept: readonly { readonly rule: string; readonly bytes: number }[],
  nameOf: (rule: string) => string,
): string {
  return kept.map(({ rule, bytes }) => `${bytesText(bytes)} stay: "${nameOf(rule)}" keeps them`).join("; ");
}
