import { fit } from "./fit";
import type { Source } from "./source";

export const png = {
  label: "PNG still",
  version: 1,
  parameters: { asset: { type: "reference", label: "Still", to: "png" } },
  draw: ({ window, parameters }, { canvas, pictures }) =>
    fit(canvas.upload(pictures.still(String(parameters.asset)), false), window, canvas),
} as const satisfies Source;
