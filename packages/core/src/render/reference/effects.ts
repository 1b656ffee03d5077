import { luma, paint, pixelAt, sample, type FloatPicture } from "./picture";
import { halve } from "./resample";
import { fractal } from "./noise";

export function brightPass(picture: FloatPicture, threshold: number): FloatPicture {
  const small = halve(picture);
  return paint(small.width, small.height, (x, y) => {
    const pixel = pixelAt(small, x, y);
    const brightness = luma(pixel);
    const keep = brightness > threshold ? (brightness - threshold) / brightness : 0;
    return pixel.map((value) => value * keep);
  });
}

export function addUpsampled(
  picture: FloatPicture,
  light: FloatPicture,
  origin: readonly [number, number],
  gain: number,
): FloatPicture {
  return paint(picture.width, picture.height, (x, y) => {
    const added = sample(light, (x + 0.5 - origin[0]) / 2, (y + 0.5 - origin[1]) / 2);
    const [r, g, b, a] = pixelAt(picture, x, y).map((value, c) => value + gain * added[c]!) as [
      number,
      number,
      number,
      number,
    ];
    return [r, g, b, Math.min(1, a)];
  });
}

export interface GradeValues {
  readonly gains: readonly [number, number, number];
  readonly contrast: number;
  readonly pivot: number;
  readonly saturation: number;
}

export function grade(picture: FloatPicture, { gains, contrast, pivot, saturation }: GradeValues): FloatPicture {
  return paint(picture.width, picture.height, (x, y) => {
    const [r, g, b, alpha] = pixelAt(picture, x, y);
    if (alpha <= 0) return [r, g, b, alpha];
    const colour = [r, g, b].map((value, c) => {
      const gained = Math.max(0, (value / alpha) * gains[c]!);
      return contrast === 1 || gained === 0 ? gained : pivot * (gained / pivot) ** contrast;
    });
    const brightness = luma(colour);
    return [...colour.map((value) => Math.max(0, brightness + saturation * (value - brightness)) * alpha), alpha];
  });
}

function hash(value: number): number {
  let h = Math.imul(value ^ (value >>> 15), 0x2c1b3c6d);
  h = Math.imul(h ^ (h >>> 12), 0x297a2d39);
  return (h ^ (h >>> 15)) >>> 0;
}

export function grain(
  picture: FloatPicture,
  origin: readonly [number, number],
  cell: number,
  amount: number,
  seed: number,
): FloatPicture {
  const column = (position: number) => Math.floor(Math.fround(Math.fround(position + 0.5) * Math.fround(1 / cell)));
  return paint(picture.width, picture.height, (x, y) => {
    const row = hash(seed ^ Math.imul(column(y + origin[1]), 0x9e3779b1));
    const bits = hash(row ^ Math.imul(column(x + origin[0]), 0x85ebca6b));
    const gain = 1 + ((bits & 0xffff) - (bits >>> 16)) * (amount / 65536);
    const [r, g, b, a] = pixelAt(picture, x, y);
    return [r * gain, g * gain, b * gain, a];
  });
}

export interface DisplaceValues {
  readonly amount: number;
  readonly step: number;
  readonly x0: number;
  readonly y0: number;
  readonly z: number;
  readonly octaves: number;
  readonly seed: number;
  readonly repeatEdge: boolean;
}

export function displace(picture: FloatPicture, values: DisplaceValues): FloatPicture {
  const { amount, step, x0, y0, z, octaves, seed, repeatEdge } = values;
  const { width, height } = picture;
  const inside = (value: number, size: number) => (repeatEdge ? Math.min(size - 0.5, Math.max(0.5, value)) : value);
  return paint(width, height, (x, y) => {
    const [px, py] = [(x + 0.5) * step + x0, (y + 0.5) * step + y0];
    const shiftX = amount * (2 * fractal(px, py, z, octaves, seed) - 1);
    const shiftY = amount * (2 * fractal(px, py, z, octaves, seed + 101) - 1);
    return sample(picture, inside(x + 0.5 + shiftX, width), inside(y + 0.5 + shiftY, height));
  });
}
