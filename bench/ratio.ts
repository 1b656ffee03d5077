/** Median of what was measured. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2;
}

type Work = () => unknown;

/**
 * Runs several pieces of work in turn, so that whatever else the machine does falls on all of them alike.
 * @returns the median time of each in ms, after two rounds of warming up
 */
export async function inTurn<Name extends string>(
  work: Readonly<Record<Name, Work>>,
  rounds = 15,
): Promise<Record<Name, number>> {
  const names = Object.keys(work) as Name[];
  const times = Object.fromEntries(names.map((name) => [name, [] as number[]])) as Record<Name, number[]>;
  for (let round = -2; round < rounds; round++) {
    for (const name of names) {
      const start = performance.now();
      await work[name]();
      if (round >= 0) times[name].push(performance.now() - start);
    }
  }
  return Object.fromEntries(names.map((name) => [name, median(times[name])])) as Record<Name, number>;
}

export const rounded = (value: number, digits = 3): number => Number(value.toPrecision(digits));
