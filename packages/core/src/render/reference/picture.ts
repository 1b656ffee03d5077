/** Rows of RGBA float pixels, for the plain versions of the kernels: written to be read, not to be fast. */
export interface FloatPicture {
  readonly width: number;
  readonly height: number;
  readonly data: Float32Array;
}

export function blank(width: number, height: number): FloatPicture {
  return { width, height, data: new Float32Array(width * height * 4) };
}

export type Pixel = [number, number, number, number];

export function pixelAt({ width, height, data }: FloatPicture, x: number, y: number): Pixel {
  if (x < 0 || y < 0 || x >= width || y >= height) return [0, 0, 0, 0];
  const at = (y * width + x) * 4;
  return [data[at]!, data[at + 1]!, data[at + 2]!, data[at + 3]!];
}

/** A new picture whose pixel at (x, y) is what `pixel` returns. */
export function paint(width: number, height: number, pixel: (x: number, y: number) => readonly number[]): FloatPicture {
  const picture = blank(width, height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) picture.data.set(pixel(x, y), (y * width + x) * 4);
  }
  return picture;
}

/** Bilinear sample; 0.5 is the centre of the first pixel; transparent outside. */
export function sample(picture: FloatPicture, x: number, y: number): Pixel {
  const [u, v] = [x - 0.5, y - 0.5];
  const [ix, iy] = [Math.floor(u), Math.floor(v)];
  const [tx, ty] = [u - ix, v - iy];
  const corners = [
    pixelAt(picture, ix, iy),
    pixelAt(picture, ix + 1, iy),
    pixelAt(picture, ix, iy + 1),
    pixelAt(picture, ix + 1, iy + 1),
  ];
  return [0, 1, 2, 3].map((c) => {
    const top = corners[0]![c]! * (1 - tx) + corners[1]![c]! * tx;
    const bottom = corners[2]![c]! * (1 - tx) + corners[3]![c]! * tx;
    return top * (1 - ty) + bottom * ty;
  }) as Pixel;
}

/** Rec. 709 luma of linear colour. */
export function luma([r, g, b]: readonly number[]): number {
  return 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
}
