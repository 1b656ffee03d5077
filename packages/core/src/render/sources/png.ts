import { decodePng } from "../../formats";
import { fit } from "./fit";
import type { DrawSource } from "./source";

export const drawPng: DrawSource = ({ window, parameters }, { canvas, asset }) => {
  const still = asset(parameters.asset as string);
  if (still.kind !== "png") throw new TypeError(`"${String(parameters.asset)}" is not a PNG still`);
  return fit(canvas.upload(decodePng(still.base64), false), window, canvas);
};
