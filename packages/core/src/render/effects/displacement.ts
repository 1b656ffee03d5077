import type { ApplyEffect } from "./effect";

export const applyDisplacement: ApplyEffect = (node, input, canvas) => {
  const value = (name: string) => Number(node.parameters[name]);
  const { window } = node;
  const source = canvas.reframe(input, window);
  const result = canvas.allocate(window);
  const step = 1 / value("size");
  canvas.kernels.run.displace(
    result.address,
    source.address,
    window.width,
    window.height,
    value("amount"),
    step,
    window.x * step,
    window.y * step,
    value("evolution"),
    Math.round(value("detail")),
    Math.round(value("seed")),
    Number(node.parameters.edges === "repeat"),
  );
  canvas.release(source);
  return result;
};
