export interface SweepSettings {
  /** Days after which a batch in holding goes for good; null keeps it until the user empties it. */
  readonly emptyAfterDays: number | null;
}

export const DEFAULT_SWEEP_SETTINGS: SweepSettings = { emptyAfterDays: 7 };
export const LONGEST_HOLDING_DAYS = 3650;

const DAY_MS = 24 * 60 * 60 * 1000;

/**
 * When a batch goes for good, in milliseconds since the epoch.
 * @param sweptMs when it was swept, likewise
 * @returns undefined when it waits for the user
 */
export function emptiesAtMs(sweptMs: number, { emptyAfterDays }: SweepSettings): number | undefined {
  return emptyAfterDays === null ? undefined : sweptMs + emptyAfterDays * DAY_MS;
}
