import { linearColour } from "../colour";
import { choice, colour, length, number } from "../parameter";
import type { Source } from "./source";

const OPACITIES = ["opacity0", "opacity1", "opacity2"];
const ENTRIES = 1024;

/** Premultiplied pixels along the gradient, blended in linear light. */
export function gradientTable(parameters: Readonly<Record<string, number | string>>): Float32Array {
  const stops = [0, 1, 2].map((index) => {
    const opacity = Number(parameters[`opacity${index}`]) / 100;
    return [...linearColour(parameters[`colour${index}`] as string).map((channel) => channel * opacity), opacity];
  });
  const middle = Number(parameters.position) / 100;
  const table = new Float32Array(ENTRIES * 4);
  for (let i = 0; i < ENTRIES; i++) {
    const t = i / (ENTRIES - 1);
    const first = t < middle ? 0 : 1;
    const u = t < middle ? t / middle : (t - middle) / (1 - middle);
    for (let c = 0; c < 4; c++) table[i * 4 + c] = stops[first]![c]! * (1 - u) + stops[first + 1]![c]! * u;
  }
  return table;
}

export const gradient = {
  label: "Gradient",
  version: 1,
  parameters: {
    shape: choice("Shape", ["linear", "radial"]),
    x0: length("Start x", [-16384, 16384, 0, 1]),
    y0: length("Start y", [-16384, 16384, 0, 1]),
    x1: length("End x", [-16384, 16384, 0, 1]),
    y1: length("End y", [-16384, 16384, 1080, 1]),
    colour0: colour("Start colour", "#20304a"),
    opacity0: number("Start opacity", "%", [0, 100, 100, 1]),
    position: number("Middle position", "%", [1, 99, 50, 1]),
    colour1: colour("Middle colour", "#7a5a60"),
    opacity1: number("Middle opacity", "%", [0, 100, 100, 1]),
    colour2: colour("End colour", "#e0a060"),
    opacity2: number("End opacity", "%", [0, 100, 100, 1]),
  },
  opacities: OPACITIES,
  draw({ window, parameters }, { canvas }) {
    const raster = canvas.allocate(window);
    const [x0, y0, x1, y1] = ["x0", "y0", "x1", "y1"].map((name) => Number(parameters[name])) as [
      number,
      number,
      number,
      number,
    ];
    const [dx, dy] = [x1 - x0, y1 - y0];
    const squared = Math.max(1e-6, dx * dx + dy * dy);
    const table = gradientTable(parameters);
    if (parameters.shape === "radial") canvas.radialGradient(raster, table, x0, y0, Math.sqrt(squared));
    else canvas.linearGradient(raster, table, dx / squared, dy / squared, -(x0 * dx + y0 * dy) / squared);
    return raster;
  },
} as const satisfies Source;
