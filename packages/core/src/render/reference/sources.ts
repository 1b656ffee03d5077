import { paint, pixelAt, type FloatPicture, type Pixel } from "./picture";

function lookUp(table: Float32Array, t: number): Pixel {
  const size = table.length / 4;
  const position = Math.min(1, Math.max(0, t)) * (size - 1);
  const index = Math.min(Math.floor(position), size - 2);
  const rest = position - index;
  return [0, 1, 2, 3].map((c) => table[index * 4 + c]! * (1 - rest) + table[index * 4 + 4 + c]! * rest) as Pixel;
}

export function linearGradient(
  width: number,
  height: number,
  [ux, uy, t0]: readonly [number, number, number],
  table: Float32Array,
): FloatPicture {
  return paint(width, height, (x, y) => lookUp(table, (x + 0.5) * ux + (y + 0.5) * uy + t0));
}

export function radialGradient(
  width: number,
  height: number,
  [cx, cy, radius]: readonly [number, number, number],
  table: Float32Array,
): FloatPicture {
  return paint(width, height, (x, y) => lookUp(table, Math.hypot(x + 0.5 - cx, y + 0.5 - cy) / radius));
}

/** Round-capped strokes over a transparent picture; 6 numbers a stroke as in the kernel. */
export function strokes(
  width: number,
  height: number,
  list: Float32Array,
  colour: readonly [number, number, number],
): FloatPicture {
  let picture = paint(width, height, () => [0, 0, 0, 0]);
  for (let i = 0; i < list.length; i += 6) {
    const [x0, y0, x1, y1, half, opacity] = list.subarray(i, i + 6) as unknown as [
      number,
      number,
      number,
      number,
      number,
      number,
    ];
    const [ex, ey] = [x1 - x0, y1 - y0];
    const squared = Math.max(1e-12, ex * ex + ey * ey);
    const below = picture;
    picture = paint(width, height, (x, y) => {
      const [px, py] = [x + 0.5 - x0, y + 0.5 - y0];
      const t = Math.min(1, Math.max(0, (px * ex + py * ey) / squared));
      const distance = Math.hypot(px - t * ex, py - t * ey);
      const coverage = Math.min(1, Math.max(0, half + 0.5 - distance)) * opacity;
      return [...colour, 1].map((value, c) => value * coverage + pixelAt(below, x, y)[c]! * (1 - coverage));
    });
  }
  return picture;
}
