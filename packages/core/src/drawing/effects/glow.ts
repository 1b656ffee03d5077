import { boxForSigma, sigmaOfRadius } from "../gaussian";
import { length, number } from "../parameter";
import { INVISIBLE, type Effect } from "./effect";

/** Bright parts at half size, blurred there and added back: a quarter of the pixels for the costly step. */
export const glow = {
  label: "Glow",
  version: 1,
  weight: "heavy",
  parameters: {
    threshold: number("Threshold", "%", [0, 100, 60, 1]),
    radius: length("Radius", [1, 500, 30, 1]),
    strength: number("Strength", "%", [0, 400, 60, 1]),
  },
  reach({ radius }) {
    // Even, so that the half-size light stays aligned with the full-size pixels.
    const reach = 2 * Math.ceil(0.75 * Number(radius) + 3);
    return { x: reach, y: reach };
  },
  isNeutral: ({ strength }) => strength === 0,
  isInvisible: ({ strength }) => Number(strength) / 100 < INVISIBLE,
  keepsOpaque: () => true,
  passes: () => 1,
  apply({ window, parameters }, input, canvas) {
    const { x, y } = input.window;
    const light = canvas.brightPass(input, Number(parameters.threshold) / 100);
    const left = Math.ceil((x - window.x) / 2);
    const top = Math.ceil((y - window.y) / 2);
    const lit = {
      x: -left,
      y: -top,
      width: left + Math.ceil((window.x + window.width - x) / 2),
      height: top + Math.ceil((window.y + window.height - y) / 2),
    };
    const sigma = sigmaOfRadius(Number(parameters.radius)) / 2;
    const blurred = canvas.blur(light, lit, boxForSigma(sigma), false);
    canvas.release(light);
    const result = canvas.reframe(input, window);
    const strength = Number(parameters.strength) / 100;
    canvas.addUpsampled(result, blurred, x - 2 * left - window.x, y - 2 * top - window.y, strength);
    canvas.release(blurred);
    return result;
  },
} as const satisfies Effect;
