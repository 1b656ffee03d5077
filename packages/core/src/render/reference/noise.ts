import { paint, type FloatPicture, type Pixel } from "./picture";

function lattice(x: number, y: number, z: number, seed: number): number {
  let h = Math.imul(x, 0x8da6b343) ^ Math.imul(y, 0xd8163841) ^ (Math.imul(z, 0xcb1ab31f) + seed);
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
  h = Math.imul(h ^ (h >>> 12), 0x297a2d39);
  return ((h ^ (h >>> 15)) >>> 8) / 2 ** 24;
}

const smooth = (t: number) => t * t * (3 - 2 * t);
const lerp = (a: number, b: number, t: number) => a + (b - a) * t;

function octave(x: number, y: number, z: number, seed: number): number {
  const [ix, iy, iz] = [Math.floor(x), Math.floor(y), Math.floor(z)];
  const [tx, ty, tz] = [smooth(x - ix), smooth(y - iy), smooth(z - iz)];
  const plane = (k: number) =>
    lerp(
      lerp(lattice(ix, iy, k, seed), lattice(ix + 1, iy, k, seed), tx),
      lerp(lattice(ix, iy + 1, k, seed), lattice(ix + 1, iy + 1, k, seed), tx),
      ty,
    );
  return lerp(plane(iz), plane(iz + 1), tz);
}

/** Sum of octaves of value noise, scaled to [0, 1). */
export function fractal(x: number, y: number, z: number, octaves: number, seed: number): number {
  let [sum, total, weight, scale] = [0, 0, 0.5, 1];
  for (let o = 0; o < octaves; o++) {
    sum += octave(x * scale, y * scale, z * scale, seed + o) * weight;
    total += weight;
    weight /= 2;
    scale *= 2;
  }
  return sum / total;
}

export interface NoiseValues {
  readonly x0: number;
  readonly y0: number;
  readonly stepX: number;
  readonly stepY: number;
  readonly z: number;
  readonly octaves: number;
  readonly seed: number;
  readonly low: number;
  readonly high: number;
  readonly colour: Pixel;
}

export function noise(width: number, height: number, values: NoiseValues): FloatPicture {
  const { x0, y0, stepX, stepY, z, octaves, seed, low, high, colour } = values;
  return paint(width, height, (x, y) => {
    const value = fractal((x + 0.5) * stepX + x0, (y + 0.5) * stepY + y0, z, octaves, seed);
    const density = smooth(Math.min(1, Math.max(0, (value - low) / Math.max(1e-6, high - low))));
    return colour.map((channel) => channel * density);
  });
}
