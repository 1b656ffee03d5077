import { number } from "../parameter";
import { fit } from "./fit";
import type { Source } from "./source";

export const clip = {
  label: "Clip",
  version: 1,
  parameters: {
    asset: { type: "reference", label: "Clip", to: "clip" },
    offset: number("Starts at frame", "", [0, 1000000, 0, 1]),
  },
  draw: ({ window, parameters }, { canvas, pictures }) =>
    fit(canvas.upload(pictures.clipFrame(String(parameters.asset), Number(parameters.frame)), false), window, canvas),
} as const satisfies Source;
