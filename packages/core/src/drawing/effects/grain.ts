import { length, number, seed } from "../parameter";
import { INVISIBLE, NO_REACH, type Effect } from "./effect";

export const grain = {
  label: "Grain",
  version: 1,
  weight: "light",
  parameters: { amount: number("Amount", "%", [0, 100, 12, 1]), size: length("Size", [0.5, 20, 2, 0.1]), seed },
  timed: (_, { frame }) => ({ frame }),
  reach: () => NO_REACH,
  isNeutral: ({ amount }) => amount === 0,
  isInvisible: ({ amount }) => Number(amount) / 100 < INVISIBLE,
  keepsOpaque: () => true,
  passes: () => 1,
  apply({ window, parameters }, input, canvas) {
    const result = canvas.reframe(input, window);
    // The seed moves with the frame, so that the grain is new on every frame and the same on every machine.
    const seed =
      Math.imul(Number(parameters.frame) + 1, 0x9e3779b1) ^ Math.imul(Number(parameters.seed) + 1, 0x85ebca6b);
    canvas.grain(result, Math.max(0.25, Number(parameters.size)), Number(parameters.amount) / 100, seed);
    return result;
  },
} as const satisfies Effect;
