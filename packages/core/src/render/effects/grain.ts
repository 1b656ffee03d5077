import type { ApplyEffect } from "./effect";

export const applyGrain: ApplyEffect = (node, input, canvas) => {
  const result = canvas.reframe(input, node.window);
  // The seed moves with the frame, so that the grain is new on every frame and the same on every machine.
  const seed =
    Math.imul(Number(node.parameters.frame) + 1, 0x9e3779b1) ^ Math.imul(Number(node.parameters.seed) + 1, 0x85ebca6b);
  canvas.grain(result, Math.max(0.25, Number(node.parameters.size)), Number(node.parameters.amount) / 100, seed);
  return result;
};
