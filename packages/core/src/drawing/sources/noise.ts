import { linearColour } from "../colour";
import { colour, length, number, seed } from "../parameter";
import type { Source } from "./source";

export const noise = {
  label: "Procedural noise",
  version: 1,
  parameters: {
    colour: colour("Colour", "#ffffff"),
    size: length("Size", [2, 4096, 200, 1]),
    stretch: number("Stretch", "×", [0.1, 20, 1, 0.1]),
    detail: number("Detail", "octaves", [1, 8, 4, 1]),
    low: number("Empty below", "%", [0, 100, 35, 1]),
    high: number("Full above", "%", [0, 100, 75, 1]),
    driftX: length("Drift x", [-4096, 4096, 0, 1]),
    driftY: length("Drift y", [-4096, 4096, 0, 1]),
    evolution: number("Evolution", "a second", [0, 10, 0.2, 0.05]),
    seed,
  },
  timed: ({ evolution, driftX, driftY }, { seconds }) => ({
    evolution: Number(evolution) * seconds,
    driftX: Number(driftX) * seconds,
    driftY: Number(driftY) * seconds,
  }),
  work: (pixels, { detail }) => pixels * Number(detail),
  draw({ window, parameters }, { canvas }) {
    const raster = canvas.allocate(window);
    const value = (name: string) => Number(parameters[name]);
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
    const colour = linearColour(parameters.colour as string);
    canvas.noise(raster, field, value("low") / 100, value("high") / 100, colour);
    return raster;
  },
} as const satisfies Source;
