import type { ApplyEffect } from "./effect";

/**
 * Steps of the pair averages that spread a pixel over `length` pixels: a quarter of the length, then half the
 * step before, until taps lie at most one pixel apart.
 */
export function pairSteps(length: number): number[] {
  const steps: number[] = [];
  for (let step = length / 4; step >= 0.25; step /= 2) steps.push(step);
  return steps;
}

export const applyDirectionalBlur: ApplyEffect = (node, input, canvas) => {
  const angle = (Number(node.parameters.angle) * Math.PI) / 180;
  const [ux, uy] = [Math.cos(angle), Math.sin(angle)];
  const steps = pairSteps(Number(node.parameters.length));
  let current: typeof input | undefined;
  for (const step of steps) {
    const next = canvas.allocate(node.window);
    canvas.pairAverage(next, current ?? input, ux * step, uy * step);
    if (current) canvas.release(current);
    current = next;
  }
  return current ?? canvas.reframe(input, node.window);
};
