import { length, number } from "../parameter";
import type { Effect } from "./effect";

/**
 * Steps of the pair averages that spread a pixel over `length` pixels: a quarter of the length, then half the
 * step before, until taps lie at most one pixel apart.
 */
function pairSteps(length: number): number[] {
  const steps: number[] = [];
  for (let step = length / 4; step >= 0.25; step /= 2) steps.push(step);
  return steps;
}

const radians = (degrees: unknown) => (Number(degrees) * Math.PI) / 180;

export const directionalBlur = {
  label: "Directional blur",
  version: 1,
  weight: "heavy",
  parameters: { length: length("Length", [0, 1000, 40, 1]), angle: number("Angle", "°", [-360, 360, 0, 1]) },
  reach(parameters) {
    const angle = radians(parameters.angle);
    const half = Number(parameters.length) / 2;
    return { x: Math.ceil(Math.abs(Math.cos(angle)) * half) + 1, y: Math.ceil(Math.abs(Math.sin(angle)) * half) + 1 };
  },
  isNeutral: (parameters) => Number(parameters.length) < 0.5,
  passes: (parameters) => pairSteps(Number(parameters.length)).length,
  apply({ window, parameters }, input, canvas) {
    const angle = radians(parameters.angle);
    const [ux, uy] = [Math.cos(angle), Math.sin(angle)];
    let current: typeof input | undefined;
    for (const step of pairSteps(Number(parameters.length))) {
      const next = canvas.allocate(window);
      canvas.pairAverage(next, current ?? input, ux * step, uy * step);
      if (current) canvas.release(current);
      current = next;
    }
    return current ?? canvas.reframe(input, window);
  },
} as const satisfies Effect;
