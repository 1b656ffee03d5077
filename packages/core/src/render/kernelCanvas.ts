import type { Kernels } from "@kinetocache/kernels";
import type { Depth } from "../composition";
import {
  type Affine,
  type Box,
  type Canvas,
  intersect,
  type LinearPixels,
  type NoiseField,
  PIXEL_BYTES,
  pixelCount,
  type Pixels8,
  type Placement,
  type Raster,
  RenderCancelled,
  type Rgb,
  union,
  type Window,
} from "../drawing";
import { decodeTable, encodeTable } from "./colour";
import { BYTES_A_PIXEL } from "./depth";

/** Pixels in the kernels' linear memory. */
export interface KernelRaster extends Raster {
  readonly address: number;
}

// Rows blended before the next layer follows: the part of the picture that is written stays in the cache.
const BAND = 8;
// Columns of a strip that is blurred at once: in less a row each strip would go through every page of the picture anew,
// and at a power of two rows would take each other's place in the cache.
const STRIP = 192;
const STROKE_FLOATS = 6;
// What is drawn between two looks at whether it is still wanted: a few milliseconds of the slowest kernel.
const BAND_PIXELS = 65536;
const STROKES = 256;
const CLEAR: Rgb = [0, 0, 0];

/** Draws with the kernels, on the processor. */
export class KernelCanvas implements Canvas<KernelRaster> {
  private readonly decode: number;
  private readonly encode: number;
  /** Asked between bands of rows, so that a large picture can be given up within milliseconds. */
  cancelled: () => boolean = () => false;

  /** @param now clock in milliseconds */
  constructor(
    readonly kernels: Kernels,
    private readonly now: () => number,
  ) {
    this.decode = this.table(decodeTable());
    this.encode = this.table(encodeTable());
  }

  allocate(window: Window): KernelRaster {
    return { address: this.kernels.arena.allocate(pixelCount(window) * PIXEL_BYTES), window };
  }

  release(raster: KernelRaster): void {
    this.kernels.arena.release(raster.address);
  }

  mark(): number {
    return this.now();
  }

  fill({ address, window }: KernelRaster, [r, g, b]: Rgb, alpha: number): void {
    const { width, height } = window;
    this.inBands(width, height, (top, bottom) =>
      this.kernels.run.fill(address + top * width * PIXEL_BYTES, (bottom - top) * width, r, g, b, alpha),
    );
  }

  reframe(source: KernelRaster, window: Window): KernelRaster {
    const common = intersect(source.window, window);
    const whole = common.width === window.width && common.height === window.height;
    const target = whole ? this.allocate(window) : this.allocateClear(window);
    if (pixelCount(common) > 0) {
      this.inBands(common.width, common.height, (top, bottom) =>
        this.kernels.run.copyRows(
          addressAt(target, common.x, common.y + top),
          window.width,
          addressAt(source, common.x, common.y + top),
          source.window.width,
          common.width,
          bottom - top,
        ),
      );
    }
    return target;
  }

  upload({ width, height, data }: Pixels8, premultiplied: boolean): KernelRaster {
    const raster = this.allocate({ x: 0, y: 0, width, height });
    this.throughScratch(raster, BYTES_A_PIXEL["8-bit"], (address, band, pixels, count) => {
      this.write(address, data.subarray(band.from, band.to));
      this.kernels.run.fromSrgb8(pixels, address, count, this.decode, Number(premultiplied));
    });
    return raster;
  }

  uploadLinear({ width, height, depth, data }: LinearPixels): KernelRaster {
    const raster = this.allocate({ x: 0, y: 0, width, height });
    this.throughScratch(raster, BYTES_A_PIXEL[depth], (address, band, pixels, count) => {
      const numbers = data.subarray(band.from, band.to);
      this.write(depth === "float" ? pixels : address, numbers);
      if (depth === "half") this.kernels.run.fromHalf(pixels, address, count);
    });
    return raster;
  }

  halve({ address, window }: KernelRaster): KernelRaster {
    const half = this.allocate(halfOf(window));
    this.inHalves(window, half, (to, from, height) => this.kernels.run.halve(to, address + from, window.width, height));
    return half;
  }

  affine({ address, window }: KernelRaster, source: KernelRaster, map: Affine): void {
    const { width, height } = source.window;
    this.inBands(window.width, window.height, (top, bottom) =>
      this.kernels.run.affine(address, window.width, source.address, width, height, ...map, top, bottom),
    );
  }

  stack(window: Window, inputs: readonly KernelRaster[], placements: readonly Placement[]): KernelRaster {
    const { run } = this.kernels;
    const raster = this.allocateClear(window);
    for (let y = window.y; y < window.y + window.height; y += BAND) {
      this.stopIfCancelled();
      inputs.forEach((input, index) => {
        const top = Math.max(y, input.window.y);
        const bottom = Math.min(y + BAND, window.y + window.height, input.window.y + input.window.height);
        const left = Math.max(window.x, input.window.x);
        const right = Math.min(window.x + window.width, input.window.x + input.window.width);
        if (bottom <= top || right <= left) return;
        const { opacity, blend } = placements[index]!;
        run.composite(
          addressAt(raster, left, top),
          window.width,
          addressAt(input, left, top),
          input.window.width,
          right - left,
          bottom - top,
          opacity,
          blend,
        );
      });
    }
    return raster;
  }

  blur(source: KernelRaster, window: Window, { radius, alpha }: Box, repeatEdge: boolean): KernelRaster {
    const { run } = this.kernels;
    const padding = 6 * (radius + 1);
    const from = source.window;
    const rows = this.allocate({ x: window.x, y: from.y, width: window.width, height: from.height });
    this.withScratch(2 * (window.width + padding) * PIXEL_BYTES, (line) =>
      this.inBands(Math.max(from.width, window.width), from.height, (top, bottom) =>
        run.gaussianRows(
          rows.address + top * window.width * PIXEL_BYTES,
          window.width,
          source.address + top * from.width * PIXEL_BYTES,
          from.width,
          bottom - top,
          from.x - window.x,
          radius,
          alpha,
          line,
          Number(repeatEdge),
        ),
      ),
    );
    const result = this.allocate(window);
    const wide = Math.min(STRIP, window.width);
    this.withScratch((padding + 4) * wide * PIXEL_BYTES, (strip) =>
      this.inBands(Math.max(from.height, window.height) * wide, Math.ceil(window.width / wide), (first, last) =>
        run.gaussianColumns(
          result.address,
          window.height,
          rows.address,
          window.width,
          from.height,
          from.y - window.y,
          radius,
          alpha,
          strip,
          wide,
          Number(repeatEdge),
          first * wide,
          Math.min(window.width, last * wide),
        ),
      ),
    );
    this.release(rows);
    return result;
  }

  pairAverage(target: KernelRaster, source: KernelRaster, dx: number, dy: number): void {
    const { x, y, width, height } = target.window;
    this.inBands(width, height, (top, bottom) =>
      this.kernels.run.pairAverage(
        target.address + top * width * PIXEL_BYTES,
        width,
        bottom - top,
        source.address,
        source.window.width,
        source.window.height,
        x - source.window.x,
        y + top - source.window.y,
        dx,
        dy,
      ),
    );
  }

  brightPass({ address, window }: KernelRaster, threshold: number): KernelRaster {
    const light = this.allocate(halfOf(window));
    this.inHalves(window, light, (to, from, height) =>
      this.kernels.run.brightPass(to, address + from, window.width, height, threshold),
    );
    return light;
  }

  addUpsampled(target: KernelRaster, light: KernelRaster, x: number, y: number, gain: number): void {
    const { width, height } = target.window;
    this.inBands(width, height, (top, bottom) =>
      this.kernels.run.addUpsampled(
        target.address + top * width * PIXEL_BYTES,
        width,
        bottom - top,
        light.address,
        light.window.width,
        light.window.height,
        x,
        y - top,
        gain,
      ),
    );
  }

  grade(
    target: KernelRaster,
    source: KernelRaster,
    [r, g, b]: Rgb,
    contrast: number,
    pivot: number,
    saturation: number,
  ): void {
    const { width, height } = target.window;
    this.inBands(width, height, (top, bottom) => {
      const from = top * width * PIXEL_BYTES;
      const count = (bottom - top) * width;
      const [to, at] = [target.address + from, source.address + from];
      this.kernels.run.grade(to, at, count, r, g, b, contrast, pivot, saturation);
    });
  }

  grain({ address, window }: KernelRaster, cell: number, amount: number, seed: number): void {
    const { x, y, width, height } = window;
    this.inBands(width, height, (top, bottom) => {
      const at = address + top * width * PIXEL_BYTES;
      this.kernels.run.grain(at, at, width, bottom - top, x, y + top, cell, amount, seed);
    });
  }

  noise({ address, window }: KernelRaster, field: NoiseField, low: number, high: number, [r, g, b]: Rgb): void {
    const { x0, y0, stepX, stepY, z, octaves, seed } = field;
    const { width, height } = window;
    this.inBands(width, height, (top, bottom) =>
      this.kernels.run.noise(
        address,
        width,
        x0,
        y0,
        stepX,
        stepY,
        z,
        octaves,
        seed,
        low,
        high,
        r,
        g,
        b,
        1,
        top,
        bottom,
      ),
    );
  }

  displace(target: KernelRaster, source: KernelRaster, field: NoiseField, amount: number, repeatEdge: boolean): void {
    const { width, height } = target.window;
    const { x0, y0, stepX, z, octaves, seed } = field;
    this.inBands(width, height, (top, bottom) =>
      this.kernels.run.displace(
        target.address,
        source.address,
        width,
        height,
        amount,
        stepX,
        x0,
        y0,
        z,
        octaves,
        seed,
        Number(repeatEdge),
        top,
        bottom,
      ),
    );
  }

  linearGradient({ address, window }: KernelRaster, table: Float32Array, ux: number, uy: number, t0: number): void {
    this.withScratch(table.byteLength, (at) => {
      this.write(at, table);
      this.inBands(window.width, window.height, (top, bottom) =>
        this.kernels.run.linearGradient(address, window.width, ux, uy, t0, at, table.length / 4, top, bottom),
      );
    });
  }

  radialGradient({ address, window }: KernelRaster, table: Float32Array, x: number, y: number, radius: number): void {
    this.withScratch(table.byteLength, (at) => {
      this.write(at, table);
      this.inBands(window.width, window.height, (top, bottom) =>
        this.kernels.run.radialGradient(address, window.width, x, y, radius, at, table.length / 4, top, bottom),
      );
    });
  }

  strokes(target: KernelRaster, list: Float32Array, [r, g, b]: Rgb): void {
    const { run } = this.kernels;
    const { address, window } = target;
    this.fill(target, CLEAR, 0);
    this.withScratch(list.byteLength, (at) => {
      this.write(at, list);
      const bytes = STROKE_FLOATS * list.BYTES_PER_ELEMENT;
      this.inBands(BAND_PIXELS / STROKES, list.length / STROKE_FLOATS, (first, last) =>
        run.strokes(address, window.width, window.height, at + first * bytes, last - first, r, g, b),
      );
    });
  }

  /** Puts a picture into `pixels` at a storage depth. */
  download(picture: KernelRaster, depth: Depth, pixels: Uint8Array): void {
    const { run } = this.kernels;
    this.throughScratch(picture, BYTES_A_PIXEL[depth], (at, band, address, count) => {
      if (depth === "half") run.toHalf(at, address, count);
      if (depth === "8-bit") run.toSrgb8(at, address, count, this.encode);
      this.read(depth === "float" ? address : at, pixels.subarray(band.from, band.to));
    });
  }

  /** Puts part of a picture into `pixels` as it is. */
  downloadPart(picture: KernelRaster, part: Window, pixels: Uint8Array): void {
    const rowBytes = part.width * PIXEL_BYTES;
    const rowsAtOnce = part.width === picture.window.width ? Infinity : 1;
    this.inBands(part.width, part.height, (top, bottom) => {
      for (let row = top; row < bottom; row += rowsAtOnce) {
        const end = Math.min(bottom, row + rowsAtOnce);
        this.read(addressAt(picture, part.x, part.y + row), pixels.subarray(row * rowBytes, end * rowBytes));
      }
    });
  }

  /** The smallest part of a picture that holds all that is not empty, in the picture's own space. */
  contentWindow({ address, window }: KernelRaster): Window {
    const { width, height } = window;
    const found = new Uint8Array(4 * Int32Array.BYTES_PER_ELEMENT);
    let content: Window = { x: window.x, y: window.y, width: 0, height: 0 };
    this.withScratch(found.byteLength, (at) =>
      this.inBands(width, height, (top, bottom) => {
        this.kernels.run.contentBounds(address + top * width * PIXEL_BYTES, width, bottom - top, at);
        this.read(at, found);
        const [left, first, right, last] = new Int32Array(found.buffer) as unknown as [number, number, number, number];
        const part = { x: window.x + left, y: window.y + top + first, width: right - left, height: last - first };
        if (part.height > 0) content = content.height > 0 ? union(content, part) : part;
      }),
    );
    return content;
  }

  /** Does `height` rows of a width in bands, between which it may be cancelled. */
  private inBands(width: number, height: number, draw: (top: number, bottom: number) => void): void {
    const rows = bandRows(width);
    for (let top = 0; top < height; top += rows) {
      this.stopIfCancelled();
      draw(top, Math.min(height, top + rows));
    }
  }

  /** Draws a picture of half the size in bands: where a band begins, in bytes from there in the source, and the source's rows for it. */
  private inHalves(source: Window, half: KernelRaster, draw: (to: number, from: number, height: number) => void): void {
    const { width, height } = half.window;
    this.inBands(2 * source.width, height, (top, bottom) =>
      draw(
        half.address + top * width * PIXEL_BYTES,
        2 * top * source.width * PIXEL_BYTES,
        Math.min(2 * bottom, source.height) - 2 * top,
      ),
    );
  }

  /**
   * Converts a picture in bands: `use` is given scratch memory, the bytes of the band in a picture of so many bytes
   * a pixel, and the address and count of the band's pixels. A band stays in the processor's cache on its way.
   */
  private throughScratch(
    { address, window: { width, height } }: KernelRaster,
    bytesAPixel: number,
    use: (scratch: number, band: { from: number; to: number }, pixels: number, count: number) => void,
  ): void {
    this.withScratch(Math.min(bandRows(width), height) * width * bytesAPixel, (scratch) =>
      this.inBands(width, height, (top, bottom) => {
        const [from, to] = [top * width, bottom * width];
        use(scratch, { from: from * bytesAPixel, to: to * bytesAPixel }, address + from * PIXEL_BYTES, to - from);
      }),
    );
  }

  /** @throws RenderCancelled */
  stopIfCancelled(): void {
    if (this.cancelled()) throw new RenderCancelled();
  }

  /** Copies numbers into linear memory. */
  protected write(address: number, numbers: Uint8Array | Float32Array): void {
    const { buffer } = this.kernels.run.memory;
    if (numbers instanceof Float32Array) new Float32Array(buffer, address, numbers.length).set(numbers);
    else new Uint8Array(buffer, address, numbers.length).set(numbers);
  }

  /** Copies bytes out of linear memory. */
  protected read(address: number, target: Uint8Array): void {
    target.set(new Uint8Array(this.kernels.run.memory.buffer, address, target.length));
  }

  private table(entries: Uint8Array | Float32Array): number {
    const address = this.kernels.arena.allocate(entries.byteLength);
    this.write(address, entries);
    return address;
  }

  private allocateClear(window: Window): KernelRaster {
    const raster = this.allocate(window);
    this.fill(raster, CLEAR, 0);
    return raster;
  }

  /** Runs `use` with scratch memory that is given back afterwards. */
  private withScratch(bytes: number, use: (address: number) => void): void {
    const address = this.kernels.arena.allocate(bytes);
    try {
      use(address);
    } finally {
      this.kernels.arena.release(address);
    }
  }
}

function bandRows(width: number): number {
  return Math.max(1, Math.floor(BAND_PIXELS / width));
}

function halfOf({ width, height }: Window): Window {
  return { x: 0, y: 0, width: (width + 1) >> 1, height: (height + 1) >> 1 };
}

/** Address of the pixel at (x, y) in the raster's own space. */
function addressAt({ address, window }: KernelRaster, x: number, y: number): number {
  return address + ((y - window.y) * window.width + (x - window.x)) * PIXEL_BYTES;
}
