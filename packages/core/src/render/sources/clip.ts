import { fit } from "./fit";
import type { DrawSource } from "./source";

export const drawClip: DrawSource = ({ window, parameters }, { canvas, asset, media }) => {
  const clip = asset(parameters.asset as string);
  if (clip.kind !== "clip") throw new TypeError(`"${String(parameters.asset)}" is not a clip`);
  return fit(canvas.upload(media.clipFrame(clip, Number(parameters.frame)), false), window, canvas);
};
