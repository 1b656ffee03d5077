import { type Window } from "../../graph";
import { boxForSigma, sigmaOfRadius } from "../gaussian";
import { PIXEL_BYTES, type Canvas, type Raster } from "../raster";
import type { ApplyEffect } from "./effect";

// Must match STRIP in the kernel.
const STRIP = 32;

/**
 * Blurs `input` into `window` with a standard deviation in pixels. Outside the input is transparent, or the
 * nearest edge pixel with `repeatEdge`.
 */
export function blurInto(canvas: Canvas, input: Raster, window: Window, sigma: number, repeatEdge: boolean): Raster {
  const { run } = canvas.kernels;
  const { radius, alpha } = boxForSigma(sigma);
  const padding = 6 * (radius + 1);
  const from = input.window;
  const rows = canvas.allocate({ x: window.x, y: from.y, width: window.width, height: from.height });
  canvas.withScratch(2 * (window.width + padding) * PIXEL_BYTES, (line) =>
    run.gaussianRows(
      rows.address,
      window.width,
      input.address,
      from.width,
      from.height,
      from.x - window.x,
      radius,
      alpha,
      line,
      Number(repeatEdge),
    ),
  );
  const result = canvas.allocate(window);
  canvas.withScratch((2 * (window.height + padding) + 1) * STRIP * PIXEL_BYTES, (strip) =>
    run.gaussianColumns(
      result.address,
      window.height,
      rows.address,
      window.width,
      from.height,
      from.y - window.y,
      radius,
      alpha,
      strip,
      Number(repeatEdge),
    ),
  );
  canvas.release(rows);
  return result;
}

export const applyGaussianBlur: ApplyEffect = (node, input, canvas) =>
  blurInto(
    canvas,
    input,
    node.window,
    sigmaOfRadius(Number(node.parameters.radius)),
    node.parameters.edges === "repeat",
  );
