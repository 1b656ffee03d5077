import type { Depth } from "../composition";
import { linearToSrgb, srgbToLinear } from "../drawing";
import type { Picture } from "../formats";
import { convert } from "./reference";

/**
 * A picture at another depth, pixel by pixel and without kernels: 8-bit is straight sRGB, half and float are linear
 * and premultiplied. From a deeper one to 8-bit, colour brighter than 1 is cut.
 */
export function redepth(picture: Picture, depth: Depth): Picture {
  if (picture.depth === depth) return picture;
  return { ...picture, depth, pixels: encoded(decoded(picture), depth) };
}

const DECODED = Float32Array.from({ length: 256 }, (_, code) => srgbToLinear(code / 255));

/** Linear, premultiplied. */
function decoded({ depth, pixels }: Picture): Float32Array {
  if (depth === "8-bit") {
    const values = new Float32Array(pixels.length);
    for (let i = 0; i < pixels.length; i += 4) {
      const alpha = pixels[i + 3]! / 255;
      for (let c = 0; c < 3; c++) values[i + c] = DECODED[pixels[i + c]!]! * alpha;
      values[i + 3] = alpha;
    }
    return values;
  }
  const bytes = pixels.slice();
  if (depth === "float") return new Float32Array(bytes.buffer);
  return Float32Array.from(new Uint16Array(bytes.buffer), (bits) => convert.fromHalf(bits));
}

function encoded(values: Float32Array, depth: Depth): Uint8Array {
  if (depth === "float") return new Uint8Array(values.buffer);
  if (depth === "half") return new Uint8Array(Uint16Array.from(values, (value) => convert.toHalf(value)).buffer);
  const pixels = new Uint8Array(values.length);
  for (let i = 0; i < values.length; i += 4) {
    const alpha = Math.min(1, values[i + 3]!);
    if (!(alpha > 0)) continue;
    for (let c = 0; c < 3; c++)
      pixels[i + c] = Math.round(255 * linearToSrgb(Math.min(1, Math.max(0, values[i + c]! / values[i + 3]!))));
    pixels[i + 3] = Math.round(alpha * 255);
  }
  return pixels;
}
