import type { Pixels8 } from "@kinetocache/core";

/** Pixels turned clockwise by quarters, as a camera that was held upright wants it. */
export function turned({ width, height, data }: Pixels8, degrees: 0 | 90 | 180 | 270): Pixels8 {
  if (degrees === 0) return { width, height, data };
  const from = new Uint32Array(data.buffer, data.byteOffset, width * height);
  const to = new Uint32Array(width * height);
  for (let y = 0, at = 0; y < height; y++)
    for (let x = 0; x < width; x++, at++) {
      if (degrees === 180) to[width * height - 1 - at] = from[at]!;
      else if (degrees === 90) to[x * height + (height - 1 - y)] = from[at]!;
      else to[(width - 1 - x) * height + y] = from[at]!;
    }
  const size = degrees === 180 ? { width, height } : { width: height, height: width };
  return { ...size, data: new Uint8Array(to.buffer) };
}
