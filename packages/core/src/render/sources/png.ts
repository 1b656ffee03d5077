import { decodePng } from "../../formats";
import type { Canvas, Raster } from "../canvas";
import type { DrawSource } from "./source";

/** Halves a raster until it is less than twice the wanted width, so that a bilinear read does not skip pixels. */
function shrink<R extends Raster>(raster: R, width: number, canvas: Canvas<R>): R {
  let current = raster;
  while (current.window.width >= 2 * width) {
    const next = canvas.halve(current);
    canvas.release(current);
    current = next;
  }
  return current;
}

export const drawPng: DrawSource = (node, { canvas, asset }) => {
  const { window, parameters } = node;
  const still = asset(parameters.asset as string);
  if (still.kind !== "png") throw new TypeError(`"${String(parameters.asset)}" is not a PNG still`);
  const picture = shrink(canvas.upload(decodePng(still.base64), false), window.width, canvas);
  const { width, height } = picture.window;
  if (width === window.width && height === window.height) return picture;
  const raster = canvas.allocate(window);
  canvas.affine(raster, picture, [width / window.width, 0, 0, 0, height / window.height, 0]);
  canvas.release(picture);
  return raster;
};
