import { length, number, seed } from "../parameter";
import { EDGES, NO_REACH, type Effect } from "./effect";

export const displacement = {
  label: "Displacement",
  version: 1,
  weight: "heavy",
  parameters: {
    amount: length("Amount", [0, 500, 20, 1]),
    size: length("Size", [2, 4096, 160, 1]),
    detail: number("Detail", "octaves", [1, 6, 2, 1]),
    evolution: number("Evolution", "a second", [0, 10, 0.5, 0.05]),
    edges: EDGES,
    seed,
  },
  timed: ({ evolution }, { seconds }) => ({ evolution: Number(evolution) * seconds }),
  reach({ amount, edges }) {
    if (edges !== "transparent") return NO_REACH;
    const reach = Math.ceil(Number(amount));
    return { x: reach, y: reach };
  },
  isNeutral: ({ amount }) => amount === 0,
  keepsPlain: ({ edges }) => edges === "repeat",
  keepsOpaque: ({ edges }) => edges === "repeat",
  passes: ({ detail }) => 1 + 2 * Number(detail),
  apply({ window, parameters }, input, canvas) {
    const value = (name: string) => Number(parameters[name]);
    const source = canvas.reframe(input, window);
    const result = canvas.allocate(window);
    const step = 1 / value("size");
    const field = {
      x0: window.x * step,
      y0: window.y * step,
      stepX: step,
      stepY: step,
      z: value("evolution"),
      octaves: Math.round(value("detail")),
      seed: Math.round(value("seed")),
    };
    canvas.displace(result, source, field, value("amount"), parameters.edges === "repeat");
    canvas.release(source);
    return result;
  },
} as const satisfies Effect;
