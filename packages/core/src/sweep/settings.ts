import type { Milliseconds } from "../composition";
import { DEFAULT_CLEANING_RULES, type CleaningRule } from "./cleaningRule";

/** When rules run by themselves; the hour is that of the machine's clock. */
export interface Timetable {
  readonly on: boolean;
  readonly hour: number;
  readonly everyDays: number;
}

export interface SweepSettings {
  /** Days after which a batch in holding goes for good; null keeps it until the user empties it. */
  readonly emptyAfterDays: number | null;
  readonly rules: readonly CleaningRule[];
  readonly timetable: Timetable;
}

export const DEFAULT_SWEEP_SETTINGS: SweepSettings = {
  emptyAfterDays: 7,
  rules: DEFAULT_CLEANING_RULES,
  timetable: { on: false, hour: 3, everyDays: 1 },
};
export const LONGEST_HOLDING_DAYS = 3650;
export const MOST_RULES = 50;

const DAY_MS = 24 * 60 * 60 * 1000;

/**
 * How long a batch still waits before it goes for good; 0 when its time has come.
 * @param waitedMs how long it was seen to wait
 * @returns undefined when it waits for the user
 */
export function emptiesInMs(
  waitedMs: Milliseconds,
  { emptyAfterDays }: Pick<SweepSettings, "emptyAfterDays">,
): Milliseconds | undefined {
  return emptyAfterDays === null ? undefined : Math.max(0, emptyAfterDays * DAY_MS - waitedMs);
}

/**
 * When the rules run next, in milliseconds since the epoch.
 * @param lastMs when they ran last, or when the timetable was switched on
 * @param hourOf the hour of day of a moment, on the machine's clock
 * @returns undefined while it is off
 */
export function runsAtMs(
  { on, hour, everyDays }: Timetable,
  lastMs: number,
  hourOf: (ms: number) => number,
): number | undefined {
  if (!on) return undefined;
  // The first full hour that is the right one, at least so many days less one after the run before.
  const HOUR_MS = 60 * 60 * 1000;
  const earliest = lastMs + Math.max(HOUR_MS, (everyDays - 1) * DAY_MS);
  let at = Math.ceil(earliest / HOUR_MS) * HOUR_MS;
  for (let tries = 0; tries < 25 && hourOf(at) !== hour; tries++) at += HOUR_MS;
  return at;
}
