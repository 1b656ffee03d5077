import { linearColour } from "../colour";
import type { DrawSource } from "./source";

export const drawNoise: DrawSource = (node, { canvas }) => {
  const { width, height } = node.window;
  const raster = canvas.allocate(node.window);
  const value = (name: string) => Number(node.parameters[name]);
  const stepY = 1 / value("size");
  const stepX = stepY / value("stretch");
  const [r, g, b] = linearColour(node.parameters.colour as string);
  canvas.kernels.run.noise(
    raster.address,
    width,
    height,
    value("driftX") * stepX,
    value("driftY") * stepY,
    stepX,
    stepY,
    value("evolution"),
    Math.round(value("detail")),
    Math.round(value("seed")),
    value("low") / 100,
    value("high") / 100,
    r,
    g,
    b,
    1,
  );
  return raster;
};
