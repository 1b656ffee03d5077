import { paint, pixelAt, sample, type FloatPicture } from "./picture";

/** Mean of 2 × 2 blocks; the last column or row repeats at an odd edge. */
export function halve(picture: FloatPicture): FloatPicture {
  const { width, height } = picture;
  return paint((width + 1) >> 1, (height + 1) >> 1, (x, y) => {
    const [right, bottom] = [Math.min(2 * x + 1, width - 1), Math.min(2 * y + 1, height - 1)];
    const block = [
      pixelAt(picture, 2 * x, 2 * y),
      pixelAt(picture, right, 2 * y),
      pixelAt(picture, 2 * x, bottom),
      pixelAt(picture, right, bottom),
    ];
    return [0, 1, 2, 3].map((c) => block.reduce((sum, pixel) => sum + pixel[c]!, 0) / 4);
  });
}

export function affine(
  source: FloatPicture,
  width: number,
  height: number,
  [a, b, c, d, e, f]: readonly number[],
): FloatPicture {
  return paint(width, height, (x, y) =>
    sample(source, a! * (x + 0.5) + b! * (y + 0.5) + c!, d! * (x + 0.5) + e! * (y + 0.5) + f!),
  );
}

/** ½ · (src(x + dx, y + dy) + src(x − dx, y − dy)) in a window that starts at (offsetX, offsetY) of the source. */
export function pairAverage(
  source: FloatPicture,
  width: number,
  height: number,
  offset: readonly [number, number],
  dx: number,
  dy: number,
): FloatPicture {
  return paint(width, height, (x, y) => {
    const [cx, cy] = [x + offset[0] + 0.5, y + offset[1] + 0.5];
    const [there, back] = [sample(source, cx + dx, cy + dy), sample(source, cx - dx, cy - dy)];
    return there.map((value, c) => (value + back[c]!) / 2);
  });
}
