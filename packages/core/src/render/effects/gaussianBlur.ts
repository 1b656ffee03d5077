import { boxForSigma, sigmaOfRadius } from "../gaussian";
import type { ApplyEffect } from "./effect";

export const applyGaussianBlur: ApplyEffect = (node, input, canvas) => {
  const sigma = sigmaOfRadius(Number(node.parameters.radius));
  return canvas.blur(input, node.window, boxForSigma(sigma), node.parameters.edges === "repeat");
};
