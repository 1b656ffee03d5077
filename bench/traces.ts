import { pick, randomFrom, share, type Random } from "./random";

/** Frames in the order in which they were wanted. */
export interface Trace {
  readonly positions: readonly number[];
  /** What rendering each frame takes, in ms. */
  readonly costs: readonly number[];
  /** Frames that memory holds. */
  readonly room: number;
}

const LENGTH = 4000;

/** A composition of 48 to 1,500 frames, memory for a tenth to four fifths of it, and what its frames take. */
function composition(random: Random): { frames: number; room: number; costs: number[] } {
  const frames = Math.round(48 * (1500 / 48) ** share(random));
  const spread = 2.5 * share(random);
  let level = 20;
  // Scenes of some thirty frames each, and some noise within them.
  const costs = Array.from({ length: frames }, () => {
    if (random(33) === 0) level = 10 * Math.exp(spread * share(random));
    return level * (0.8 + 0.4 * share(random));
  });
  return { frames, room: Math.max(8, Math.round(frames * (0.1 + 0.7 * share(random)))), costs };
}

function trace(seed: number, next: (random: Random, frames: number) => () => readonly number[]): Trace {
  const random = randomFrom(seed);
  const { frames, room, costs } = composition(random);
  const go = next(random, frames);
  const positions: number[] = [];
  while (positions.length < LENGTH) positions.push(...go());
  return { positions: positions.slice(0, LENGTH), costs, room };
}

/** From one frame towards another, the first left out. */
function way(from: number, to: number, step: number): number[] {
  const steps = Math.ceil(Math.abs(to - from) / step);
  return Array.from({ length: steps }, (_, at) =>
    at === steps - 1 ? to : from + Math.sign(to - from) * step * (at + 1),
  );
}

/** The pointer is dragged to and fro: now a little around a place, now there and back over a passage several times. */
export function scrubbing(seed: number): Trace {
  return trace(seed, (random, frames) => {
    let position = random(frames);
    const reach = 0.1 + 0.9 * share(random);
    const goesTo = (to: number, step: number) => {
      const frames = way(position, to, step);
      position = to;
      return frames;
    };
    if (seed % 2 === 0)
      return () => {
        const far = random(3) === 0 ? 1 : 0.4;
        const to = Math.round(position + (2 * share(random) - 1) * frames * reach * far);
        return goesTo(Math.min(frames - 1, Math.max(0, to)), 1 + Math.floor(8 * share(random) ** 2));
      };
    return () => {
      const [one, other, step] = [random(frames), random(frames), 1 + random(3)];
      return Array.from({ length: 1 + random(4) }, () => [...goesTo(one, step), ...goesTo(other, step)]).flat();
    };
  });
}

/** Jumps to frames of which some are dearer to the user than others; he may look at a few from there, or change his mind. */
export function jumping(seed: number): Trace {
  return trace(seed, (random, frames) => {
    const places = Array.from({ length: frames }, (_, frame) => frame).sort(() => random(2) - 0.5);
    const skew = 1.2 * share(random);
    const sums: number[] = [];
    for (let rank = 0; rank < frames; rank++) sums.push((sums.at(-1) ?? 0) + (rank + 1) ** -skew);
    const look = pick(random, [1, 1, 2, 4, 8, 12]);
    const drifts = random(3) === 0;
    return () => {
      if (drifts && random(500) === 0)
        for (let swap = 0; swap < frames / 3; swap++) {
          const [one, other] = [random(frames), random(frames)];
          [places[one], places[other]] = [places[other]!, places[one]!];
        }
      const point = share(random) * sums.at(-1)!;
      const place = places[sums.findIndex((sum) => sum > point)]!;
      return Array.from({ length: Math.min(look, frames - place) }, (_, at) => place + at);
    };
  });
}
