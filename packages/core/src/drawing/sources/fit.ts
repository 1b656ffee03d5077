import type { Canvas, Raster } from "../canvas";
import type { Window } from "../window";

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

/** A picture scaled to fill a window; it is given back if another takes its place. */
export function fit<R extends Raster>(whole: R, window: Window, canvas: Canvas<R>): R {
  const picture = shrink(whole, window.width, canvas);
  const { width, height } = picture.window;
  if (width === window.width && height === window.height) return picture;
  const raster = canvas.allocate(window);
  canvas.affine(raster, picture, [width / window.width, 0, 0, 0, height / window.height, 0]);
  canvas.release(picture);
  return raster;
}
