import { linearColour } from "../colour";
import { colour } from "../parameter";
import type { Source } from "./source";

export const solid = {
  label: "Solid",
  version: 1,
  parameters: { colour: colour("Colour", "#808080") },
  opacities: [],
  draw({ window, parameters }, { canvas }) {
    const raster = canvas.allocate(window);
    canvas.fill(raster, linearColour(parameters.colour as string), 1);
    return raster;
  },
} as const satisfies Source;
