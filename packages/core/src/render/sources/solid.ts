import { linearColour } from "../colour";
import type { DrawSource } from "./source";

export const drawSolid: DrawSource = (node, { canvas }) => {
  const raster = canvas.allocate(node.window);
  canvas.fill(raster, linearColour(node.parameters.colour as string), 1);
  return raster;
};
