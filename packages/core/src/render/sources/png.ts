import { decodePng } from "../../formats";
import type { Raster } from "../raster";
import type { DrawSource, SourceEnvironment } from "./source";

/** Halves a raster until it is less than twice the wanted width, so that a bilinear read does not skip pixels. */
function shrink(raster: Raster, width: number, { canvas }: SourceEnvironment): Raster {
  let current = raster;
  while (current.window.width >= 2 * width) {
    const { width: w, height: h } = current.window;
    const next = canvas.allocate({ x: 0, y: 0, width: (w + 1) >> 1, height: (h + 1) >> 1 });
    canvas.kernels.run.halve(next.address, current.address, w, h);
    canvas.release(current);
    current = next;
  }
  return current;
}

export const drawPng: DrawSource = (node, environment) => {
  const { canvas } = environment;
  const asset = environment.asset(node.parameters.asset as string);
  if (asset.kind !== "png") throw new TypeError(`"${String(node.parameters.asset)}" is not a PNG still`);
  const still = shrink(environment.upload(decodePng(asset.base64), false), node.window.width, environment);
  const { width, height } = still.window;
  if (width === node.window.width && height === node.window.height) return still;
  const raster = canvas.allocate(node.window);
  canvas.kernels.run.affine(
    raster.address,
    node.window.width,
    node.window.height,
    still.address,
    width,
    height,
    width / node.window.width,
    0,
    0,
    0,
    height / node.window.height,
    0,
  );
  canvas.release(still);
  return raster;
};
