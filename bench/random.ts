/** A random number below another, the same in every run. */
export type Random = (below: number) => number;

/** mulberry32 of T. Ettinger: small, and its low bits are as good as its high ones. */
export function randomFrom(seed: number): Random {
  let state = seed >>> 0;
  return (below) => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) % below;
  };
}

/** From 0 to below 1. */
export const share = (random: Random): number => random(2 ** 31) / 2 ** 31;

export const pick = <T>(random: Random, of: readonly T[]): T => of[random(of.length)]!;
