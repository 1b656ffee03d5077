import { boxForSigma, sigmaOfRadius } from "../gaussian";
import { length } from "../parameter";
import { EDGES, NO_REACH, type Effect } from "./effect";

export const gaussianBlur = {
  label: "Gaussian blur",
  version: 1,
  weight: "heavy",
  parameters: { radius: length("Radius", [0, 500, 16, 1]), edges: EDGES },
  reach({ radius, edges }) {
    if (edges !== "transparent") return NO_REACH;
    const reach = Math.ceil(1.5 * Number(radius)) + 3;
    return { x: reach, y: reach };
  },
  isNeutral: ({ radius }) => Number(radius) < 0.05,
  keepsPlain: ({ edges }) => edges === "repeat",
  keepsOpaque: ({ edges }) => edges === "repeat",
  passes: () => 1,
  apply({ window, parameters }, input, canvas) {
    const sigma = sigmaOfRadius(Number(parameters.radius));
    return canvas.blur(input, window, boxForSigma(sigma), parameters.edges === "repeat");
  },
} as const satisfies Effect;
