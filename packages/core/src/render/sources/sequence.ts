import { fit } from "./fit";
import type { DrawSource } from "./source";

export const drawSequence: DrawSource = ({ window, parameters }, { canvas, media }) => {
  const { width, height, depth, pixels } = media.storedFrame(String(parameters.sequence), Number(parameters.frame));
  const raster =
    depth === "8-bit"
      ? canvas.upload({ width, height, data: pixels }, false)
      : canvas.uploadLinear({ width, height, depth, data: pixels });
  return fit(raster, window, canvas);
};
