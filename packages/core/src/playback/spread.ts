import type { TakeSummary } from "./take";

/** Takes that were repeated under the same settings, summed up. */
export interface Spread {
  readonly takes: number;
  readonly mean: number;
  readonly least: number;
  readonly most: number;
}

/** The spread of a figure over repeated takes. @throws RangeError without takes */
export function spreadOfTakes(values: readonly number[]): Spread {
  if (values.length === 0) throw new RangeError("A spread needs at least one take");
  return {
    takes: values.length,
    mean: values.reduce((sum, value) => sum + value, 0) / values.length,
    least: Math.min(...values),
    most: Math.max(...values),
  };
}

/**
 * Whether two takes may differ by chance alone: the difference of their means is no more than repeating either of
 * them made it vary. Undefined when neither was repeated, and nobody can tell.
 */
export function isWithinNoise(a: Spread, b: Spread): boolean | undefined {
  if (a.takes < 2 && b.takes < 2) return undefined;
  const noise = Math.max(a.most - a.least, b.most - b.least);
  return Math.abs(a.mean - b.mean) <= noise;
}

/** Share on time of each take of a series. */
export function onTimeSpread(summaries: readonly TakeSummary[]): Spread {
  return spreadOfTakes(summaries.map(({ onTimeShare }) => onTimeShare));
}
