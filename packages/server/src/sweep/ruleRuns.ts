import { ruleReports, type CleaningRule, type HeldReport, type RuleReport, type RuleVerdict } from "@kinetocache/core";
import { allDrives } from "../drives/allDrives";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import type { Locations } from "../volumes/locations";
import type { Briefing } from "./briefing";
import type { Holdings } from "./holdings";
import type { OwnCaches } from "./ownCaches";
import type { Preferences } from "./preferences";
import type { RegisteredFolders } from "./registeredFolders";

interface RuleParts {
  readonly briefing: Briefing;
  readonly folders: RegisteredFolders;
  readonly holdings: Holdings;
  readonly locations: Locations;
  readonly own: OwnCaches;
  readonly preferences: Preferences;
  readonly simulated: SimulatedDrives;
}

/** The cleaning rules: what they would take, and taking it. */
export class RuleRuns {
  constructor(private readonly parts: RuleParts) {}

  /** What rules would take now, each with what others keep of it. */
  async preview(rules: readonly CleaningRule[]): Promise<RuleReport[]> {
    return ruleReports(rules, await this.judge(rules));
  }

  private async judge(rules: readonly CleaningRule[], closed?: string): Promise<RuleVerdict[]> {
    const places = [
      ...this.parts.locations.open().map(({ id, volume }) => ({ id, folder: volume.root })),
      ...this.parts.folders.all,
    ];
    const drives = (await allDrives(places, this.parts.simulated)).flatMap(({ locations, mount, freeBytes }) =>
      locations.map((id) => [id, { mount, freeBytes }] as const),
    );
    return this.parts.briefing.desk.call("judge", rules, this.parts.own.items(closed), drives, closed);
  }

  /** Moves what the rules take to holding. @param closed id of a composition that was closed just now */
  async run(by: string, closed?: string): Promise<HeldReport & { readonly rules: readonly RuleReport[] }> {
    const { rules } = this.parts.preferences.settings;
    const used = rules.filter(({ on, action }) => on && (closed === undefined || action.kind === "close"));
    if (used.length === 0) return { batches: [], skipped: [], rules: [] };
    // Also rules that do not run now keep what they keep.
    const verdicts = (await this.judge(rules, closed)).filter(({ takenBy }) => used.some(({ id }) => id === takenBy));
    const selection = new Map<string, string[]>();
    for (const { item, keptBy } of verdicts) {
      if (keptBy !== undefined) continue;
      const ids = selection.get(item.place) ?? [];
      ids.push(item.id);
      selection.set(item.place, ids);
    }
    const held = await this.parts.holdings.hold(
      [...selection].map(([place, ids]) => ({ place, ids })),
      by,
    );
    return { ...held, rules: ruleReports(used, verdicts) };
  }
}
