import { number } from "../parameter";
import { fit } from "./fit";
import type { Source } from "./source";

export const sequence = {
  label: "Image sequence",
  version: 1,
  parameters: {
    asset: { type: "reference", label: "Sequence", to: "sequence" },
    offset: number("Starts at frame", "", [0, 1000000, 0, 1]),
  },
  // All of a stored picture is read, whatever the size of the preview.
  work: (_, { width, height }) => Number(width) * Number(height),
  draw({ window, parameters }, { canvas, pictures }) {
    const { width, height, depth, pixels } = pictures.storedFrame(
      String(parameters.sequence),
      Number(parameters.frame),
    );
    const raster =
      depth === "8-bit"
        ? canvas.upload({ width, height, data: pixels }, false)
        : canvas.uploadLinear({ width, height, depth, data: pixels });
    return fit(raster, window, canvas);
  },
} as const satisfies Source;
