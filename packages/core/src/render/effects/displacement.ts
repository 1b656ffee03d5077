import type { ApplyEffect } from "./effect";

export const applyDisplacement: ApplyEffect = (node, input, canvas) => {
  const value = (name: string) => Number(node.parameters[name]);
  const { window } = node;
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
  canvas.displace(result, source, field, value("amount"), node.parameters.edges === "repeat");
  canvas.release(source);
  return result;
};
