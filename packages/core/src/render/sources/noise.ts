import { linearColour } from "../colour";
import type { DrawSource } from "./source";

export const drawNoise: DrawSource = (node, { canvas }) => {
  const raster = canvas.allocate(node.window);
  const value = (name: string) => Number(node.parameters[name]);
  const stepY = 1 / value("size");
  const stepX = stepY / value("stretch");
  const field = {
    x0: value("driftX") * stepX,
    y0: value("driftY") * stepY,
    stepX,
    stepY,
    z: value("evolution"),
    octaves: Math.round(value("detail")),
    seed: Math.round(value("seed")),
  };
  const colour = linearColour(node.parameters.colour as string);
  canvas.noise(raster, field, value("low") / 100, value("high") / 100, colour);
  return raster;
};
