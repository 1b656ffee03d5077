import { pixelCount } from "../../graph";
import { linearColour } from "../colour";
import type { DrawSource } from "./source";

export const drawSolid: DrawSource = (node, { canvas }) => {
  const raster = canvas.allocate(node.window);
  const [r, g, b] = linearColour(node.parameters.colour as string);
  canvas.kernels.run.fill(raster.address, pixelCount(node.window), r, g, b, 1);
  return raster;
};
