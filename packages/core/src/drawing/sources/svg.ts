import type { Source } from "./source";

export const svg = {
  label: "SVG artwork",
  version: 1,
  parameters: { asset: { type: "reference", label: "Artwork", to: "svg" } },
  draw({ window, parameters }, { canvas, pictures }) {
    const drawn = canvas.upload(pictures.artwork(String(parameters.asset), window.width), true);
    // The rasteriser rounds the height by itself.
    if (drawn.window.height === window.height && drawn.window.width === window.width) return drawn;
    const raster = canvas.reframe(drawn, window);
    canvas.release(drawn);
    return raster;
  },
} as const satisfies Source;
