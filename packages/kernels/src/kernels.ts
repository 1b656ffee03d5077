import { Arena, type LinearMemory } from "./arena";

export type Address = number;

/**
 * The pixel loops as exported by `kernels.wasm`; each is documented in `assembly/`. Addresses are bytes in
 * linear memory, widths and strides are pixels of 16 bytes (RGBA float32) unless the source says otherwise.
 */
export interface KernelExports {
  readonly memory: LinearMemory;
  heapBase(): Address;
  fill(dst: Address, count: number, r: number, g: number, b: number, a: number): void;
  copyRows(dst: Address, dstStride: number, src: Address, srcStride: number, rowPixels: number, rows: number): void;
  hashBlocks(lanes: Address, src: Address, end: Address): void;
  halve(dst: Address, src: Address, w: number, h: number): void;
  contentBounds(src: Address, w: number, h: number, out: Address): void;
  affine(
    dst: Address,
    dw: number,
    src: Address,
    sw: number,
    sh: number,
    m0: number,
    m1: number,
    m2: number,
    m3: number,
    m4: number,
    m5: number,
    top: number,
    bottom: number,
  ): void;
  fromSrgb8(dst: Address, src: Address, count: number, lut: Address, premultiplied: number): void;
  toSrgb8(dst: Address, src: Address, count: number, lut: Address): void;
  toHalf(dst: Address, src: Address, count: number): void;
  fromHalf(dst: Address, src: Address, count: number): void;
  halfToSrgb8(dst: Address, src: Address, count: number, lut: Address): void;
  composite(
    dst: Address,
    dstStride: number,
    src: Address,
    srcStride: number,
    rowPixels: number,
    rows: number,
    opacity: number,
    mode: number,
  ): void;
  gaussianRows(
    dst: Address,
    dw: number,
    src: Address,
    sw: number,
    h: number,
    spread: number,
    r: number,
    alpha: number,
    line: Address,
    repeatEdge: number,
  ): void;
  gaussianColumns(
    dst: Address,
    dh: number,
    src: Address,
    w: number,
    sh: number,
    spread: number,
    r: number,
    alpha: number,
    strip: Address,
    wide: number,
    repeatEdge: number,
    left: number,
    right: number,
  ): void;
  pairAverage(
    dst: Address,
    dw: number,
    dh: number,
    src: Address,
    sw: number,
    sh: number,
    offsetX: number,
    offsetY: number,
    dx: number,
    dy: number,
  ): void;
  brightPass(dst: Address, src: Address, w: number, h: number, threshold: number): void;
  addUpsampled(
    dst: Address,
    dw: number,
    dh: number,
    light: Address,
    lw: number,
    lh: number,
    originX: number,
    originY: number,
    gain: number,
  ): void;
  grade(
    dst: Address,
    src: Address,
    count: number,
    gr: number,
    gg: number,
    gb: number,
    contrast: number,
    pivot: number,
    saturation: number,
  ): void;
  grain(
    dst: Address,
    src: Address,
    w: number,
    h: number,
    originX: number,
    originY: number,
    cell: number,
    amount: number,
    seed: number,
  ): void;
  noise(
    dst: Address,
    w: number,
    x0: number,
    y0: number,
    stepX: number,
    stepY: number,
    z: number,
    octaves: number,
    seed: number,
    low: number,
    high: number,
    r: number,
    g: number,
    b: number,
    a: number,
    top: number,
    bottom: number,
  ): void;
  displace(
    dst: Address,
    src: Address,
    w: number,
    h: number,
    amount: number,
    step: number,
    x0: number,
    y0: number,
    z: number,
    octaves: number,
    seed: number,
    repeatEdge: number,
    top: number,
    bottom: number,
  ): void;
  linearGradient(
    dst: Address,
    w: number,
    ux: number,
    uy: number,
    t0: number,
    table: Address,
    size: number,
    top: number,
    bottom: number,
  ): void;
  radialGradient(
    dst: Address,
    w: number,
    cx: number,
    cy: number,
    radius: number,
    table: Address,
    size: number,
    top: number,
    bottom: number,
  ): void;
  strokes(dst: Address, w: number, h: number, list: Address, count: number, r: number, g: number, b: number): void;
  qoiPack(dst: Address, src: Address, count: number): number;
  qoiUnpack(dst: Address, src: Address, length: number, count: number): number;
}

/** An instance of the kernels with an allocator over its memory. */
export interface Kernels {
  readonly run: KernelExports;
  readonly arena: Arena;
}

/**
 * @param exports the `exports` of an instantiated `kernels.wasm` (it imports nothing)
 */
export function openKernels(exports: unknown): Kernels {
  const run = exports as KernelExports;
  return { run, arena: new Arena(run.memory, run.heapBase()) };
}
