import {
  BYTES_A_PIXEL,
  encodeTable,
  intersect,
  PIXEL_BYTES,
  pixelCount,
  type Affine,
  type Box,
  type Canvas,
  type Depth,
  type LinearPixels,
  type NoiseField,
  type Pixels8,
  type Placement,
  type Raster,
  type Rgb,
  type Window,
} from "@kinetocache/core";
import { BufferPool } from "./bufferPool";
import type { GpuDevice } from "./gpuDevice";
import { BOX_LINES, BOX_PIECE, SHADERS, SQUARE, type ShaderName } from "./shaders";
import { strokeTiles } from "./strokeTiles";

export interface GpuRaster extends Raster {
  readonly buffer: GPUBuffer;
}

/** Buffers of a dispatch by binding: 0 is written, 1 is read as pixels, further ones hold tables. */
type Bindings = readonly (readonly [binding: number, buffer: GPUBuffer])[];

// Parameters of a dispatch lie at multiples of this, the least alignment of every device.
const SLOT = 256;
const SLOTS_A_PAGE = 256;
const MOST_MARKS = 4096;
const TIME_BYTES = 8;

/** One submitted frame on its way back from the device. */
export interface Staged {
  readonly pixels: GPUBuffer;
  readonly times: GPUBuffer | undefined;
  readonly marks: number;
}

interface Page {
  readonly buffer: GPUBuffer;
  readonly values: DataView<ArrayBuffer>;
}

/** Draws by recording commands for a graphics device: nothing is computed before `submit`. */
export class GpuCanvas implements Canvas<GpuRaster> {
  private readonly pool: BufferPool;
  private readonly codes: GPUBuffer;
  private readonly queries: GPUQuerySet | undefined;
  private readonly pages: Page[] = [];
  private slots = 0;
  private marks = 0;
  /** A mark that no pass has written yet. */
  private openMark: number | undefined;
  private encoder: GPUCommandEncoder | undefined;
  private pass: GPUComputePassEncoder | undefined;
  /** Buffers that are filled from here, once: the device reads them when the whole frame is submitted. */
  private once: GPUBuffer[] = [];

  constructor(private readonly gpu: GpuDevice) {
    const { device, hasTimestamps } = gpu;
    const { maxBufferSize, maxStorageBufferBindingSize } = device.limits;
    const usage = GPUBufferUsage.STORAGE | GPUBufferUsage.COPY_SRC | GPUBufferUsage.COPY_DST;
    this.pool = new BufferPool(
      (size) => device.createBuffer({ size, usage }),
      Math.min(maxBufferSize, maxStorageBufferBindingSize),
    );
    this.queries = hasTimestamps ? device.createQuerySet({ type: "timestamp", count: MOST_MARKS }) : undefined;
    this.codes = this.filled(Uint32Array.from(encodeTable()));
    this.once = [];
  }

  /** Memory of the device that is taken. */
  get memoryBytes(): number {
    return this.pool.heldBytes;
  }

  get peakBytes(): number {
    return this.pool.peakBytes;
  }

  /** Begins a frame. */
  start(): void {
    this.pool.startFrame();
    this.encoder = this.gpu.device.createCommandEncoder();
    this.slots = 0;
    this.marks = 0;
    this.openMark = undefined;
  }

  /** Copies a picture out at a storage depth and sends the frame's commands to the device. */
  submit(picture: GpuRaster, depth: Depth): Staged {
    const { device } = this.gpu;
    const size = pixelCount(picture.window) * BYTES_A_PIXEL[depth];
    const pixels = device.createBuffer({ size, usage: GPUBufferUsage.MAP_READ | GPUBufferUsage.COPY_DST });
    const packed = depth === "float" ? picture.buffer : this.packed(picture, depth, size);
    const times = this.resolveTimes();
    this.endPass();
    this.encoder!.copyBufferToBuffer(packed, 0, pixels, 0, size);
    if (packed !== picture.buffer) this.pool.give(packed);
    this.pages.forEach(({ buffer, values }, index) => {
      const used = Math.min(SLOTS_A_PAGE, this.slots - index * SLOTS_A_PAGE);
      if (used > 0) device.queue.writeBuffer(buffer, 0, values.buffer, 0, used * SLOT);
    });
    device.queue.submit([this.encoder!.finish()]);
    return { pixels, times, marks: this.marks };
  }

  /** Ends a frame, submitted or not. */
  end(): void {
    this.encoder = undefined;
    this.pass = undefined;
    for (const buffer of this.once) buffer.destroy();
    this.once = [];
    this.pool.endFrame();
  }

  allocate(window: Window): GpuRaster {
    return { window, buffer: this.pool.take(pixelCount(window) * PIXEL_BYTES) };
  }

  release({ buffer }: GpuRaster): void {
    this.pool.give(buffer);
  }

  mark(): number {
    if (!this.queries) return 0;
    this.writeMark();
    this.openMark = Math.min(this.marks, MOST_MARKS - 1);
    this.marks = this.openMark + 1;
    return this.openMark;
  }

  fill(target: GpuRaster, colour: Rgb, alpha: number): void {
    this.draw("fill", target, [], [...colour, alpha]);
  }

  reframe(source: GpuRaster, window: Window): GpuRaster {
    const target = this.allocate(window);
    const { x, y } = source.window;
    this.draw("reframe", target, [[1, source.buffer]], [...sizeOf(source), window.x - x, window.y - y]);
    return target;
  }

  upload({ width, height, data }: Pixels8, premultiplied: boolean): GpuRaster {
    const target = this.allocate({ x: 0, y: 0, width, height });
    this.draw("upload", target, [[3, this.filled(data)]], [Number(premultiplied)]);
    return target;
  }

  uploadLinear({ width, height, depth, data }: LinearPixels): GpuRaster {
    const target = this.allocate({ x: 0, y: 0, width, height });
    const floats = depth === "float" ? data : floatsOfHalves(data);
    this.endPass();
    this.encoder!.copyBufferToBuffer(this.filled(floats), 0, target.buffer, 0, floats.byteLength);
    return target;
  }

  halve(source: GpuRaster): GpuRaster {
    return this.halved(source, 0, 0);
  }

  affine(target: GpuRaster, source: GpuRaster, map: Affine): void {
    this.draw("affine", target, [[1, source.buffer]], [...sizeOf(source), ...map]);
  }

  stack(window: Window, inputs: readonly GpuRaster[], placements: readonly Placement[]): GpuRaster {
    const target = this.allocate(window);
    this.fill(target, [0, 0, 0], 0);
    inputs.forEach((input, index) => {
      const { opacity, blend } = placements[index]!;
      const area = intersect(window, input.window);
      if (pixelCount(area) === 0) return;
      this.dispatch(
        "composite",
        [
          [0, target.buffer],
          [1, input.buffer],
        ],
        [
          area.width,
          area.height,
          window.width,
          offsetOf(window, area),
          input.window.width,
          offsetOf(input.window, area),
          blend,
          opacity,
        ],
        squares(area),
      );
    });
    return target;
  }

  blur(source: GpuRaster, window: Window, box: Box, repeatEdge: boolean): GpuRaster {
    const from = source.window;
    const rows = { x: window.x, y: from.y, width: window.width, height: from.height };
    const across = this.filterLines(source, rows, box, repeatEdge, "rows");
    const result = this.filterLines(across, window, box, repeatEdge, "columns");
    this.release(across);
    return result;
  }

  pairAverage(target: GpuRaster, source: GpuRaster, dx: number, dy: number): void {
    const [a, b] = [target.window, source.window];
    this.draw("pairAverage", target, [[1, source.buffer]], [...sizeOf(source), a.x - b.x, a.y - b.y, dx, dy]);
  }

  brightPass(source: GpuRaster, threshold: number): GpuRaster {
    return this.halved(source, 1, threshold);
  }

  addUpsampled(target: GpuRaster, light: GpuRaster, x: number, y: number, gain: number): void {
    this.draw("addUpsampled", target, [[1, light.buffer]], [...sizeOf(light), x, y, gain]);
  }

  grade(target: GpuRaster, source: GpuRaster, gains: Rgb, contrast: number, pivot: number, saturation: number): void {
    const offset = (1 - contrast) * Math.log2(pivot);
    this.draw("grade", target, [[1, source.buffer]], [...gains, contrast, offset, saturation]);
  }

  grain(target: GpuRaster, cell: number, amount: number, seed: number): void {
    const { x, y } = target.window;
    // The division is done in the kernels' precision, so that the cells have the same edges.
    this.draw("grain", target, [], [x, y, seed, Math.fround(1 / Math.fround(cell)), amount / 65536]);
  }

  noise(target: GpuRaster, field: NoiseField, low: number, high: number, colour: Rgb): void {
    const { octaves, seed, x0, y0, stepX, stepY, z } = field;
    const inverse = 1 / Math.max(1e-6, high - low);
    this.draw("noise", target, [], [octaves, seed, x0, y0, stepX, stepY, z, low, inverse, ...colour]);
  }

  displace(target: GpuRaster, source: GpuRaster, field: NoiseField, amount: number, repeatEdge: boolean): void {
    const { octaves, seed, x0, y0, stepX, z } = field;
    const values = [octaves, seed, x0, y0, stepX, z, amount, Number(repeatEdge)];
    this.draw("displace", target, [[1, source.buffer]], values);
  }

  linearGradient(target: GpuRaster, table: Float32Array, ux: number, uy: number, t0: number): void {
    this.draw("gradient", target, [[3, this.filled(table)]], [table.length / 4, 0, ux, uy, t0]);
  }

  radialGradient(target: GpuRaster, table: Float32Array, x: number, y: number, radius: number): void {
    this.draw("gradient", target, [[3, this.filled(table)]], [table.length / 4, 1, x, y, 1 / radius]);
  }

  strokes(target: GpuRaster, list: Float32Array, colour: Rgb): void {
    const { width, height } = target.window;
    const { tile, across, starts, members } = strokeTiles(list, width, height);
    const tables: Bindings = [
      [3, this.filled(list)],
      [4, this.filled(starts)],
      [5, this.filled(members)],
    ];
    this.draw("strokes", target, tables, [tile, across, ...colour]);
  }

  private packed(picture: GpuRaster, depth: "8-bit" | "half", size: number): GPUBuffer {
    const buffer = this.pool.take(size);
    const { width, height } = picture.window;
    const bindings: Bindings = [
      [0, buffer],
      [1, picture.buffer],
    ];
    if (depth === "half") this.dispatch("toHalf", bindings, [width, height], squares(picture.window));
    else this.dispatch("toSrgb8", [...bindings, [3, this.codes]], [width, height], squares(picture.window));
    return buffer;
  }

  private halved(source: GpuRaster, keep: 0 | 1, threshold: number): GpuRaster {
    const [sw, sh] = sizeOf(source);
    const target = this.allocate({ x: 0, y: 0, width: (sw + 1) >> 1, height: (sh + 1) >> 1 });
    this.draw("halve", target, [[1, source.buffer]], [sw, sh, keep, threshold]);
    return target;
  }

  /** Three passes of the box along lines of `source` into `window`; passes in between reach past its ends. */
  private filterLines(
    source: GpuRaster,
    window: Window,
    { radius, alpha }: Box,
    repeatEdge: boolean,
    along: "rows" | "columns",
  ): GpuRaster {
    const isRows = along === "rows";
    const margin = radius + 1;
    const [start, count, lines] = isRows
      ? [window.x - source.window.x, window.width, window.height]
      : [window.y - source.window.y, window.height, window.width];
    const scale = 1 / (2 * radius + 1 + 2 * alpha);
    let current = source;
    for (const left of [2, 1, 0]) {
      const reach = count + 2 * left * margin;
      const target = this.allocate({ ...window, ...(isRows ? { width: reach } : { height: reach }) });
      const [sw, sh] = sizeOf(current);
      this.dispatch(
        "box",
        [
          [0, target.buffer],
          [1, current.buffer],
        ],
        [
          lines,
          reach,
          radius,
          current === source ? start - 3 * margin : 0,
          isRows ? sw : sh,
          Number(repeatEdge),
          ...strides(isRows, target.window.width),
          ...strides(isRows, sw),
          alpha,
          scale,
        ],
        [Math.ceil(lines / BOX_LINES), Math.ceil(reach / BOX_PIECE)],
      );
      if (current !== source) this.release(current);
      current = target;
    }
    return current;
  }

  /** One invocation a pixel of the target, whose size comes first among the parameters. */
  private draw(shader: ShaderName, target: GpuRaster, bindings: Bindings, values: readonly number[]): void {
    this.dispatch(shader, [[0, target.buffer], ...bindings], [...sizeOf(target), ...values], squares(target.window));
  }

  private dispatch(
    shader: ShaderName,
    bindings: Bindings,
    values: readonly number[],
    [across, down]: readonly [number, number],
  ): void {
    const pipeline = this.gpu.pipelines[shader];
    const entries: GPUBindGroupEntry[] = bindings.map(([binding, buffer]) => ({ binding, resource: { buffer } }));
    entries.push({ binding: 2, resource: this.parameters(SHADERS[shader].parameters, values) });
    const pass = this.openPass();
    pass.setPipeline(pipeline);
    pass.setBindGroup(0, this.gpu.device.createBindGroup({ layout: pipeline.getBindGroupLayout(0), entries }));
    pass.dispatchWorkgroups(across, down);
  }

  private parameters(types: string, values: readonly number[]): GPUBufferBinding {
    const page = this.page(Math.floor(this.slots / SLOTS_A_PAGE));
    const offset = (this.slots++ % SLOTS_A_PAGE) * SLOT;
    values.forEach((value, index) => {
      const at = offset + 4 * index;
      if (types[index] === "f") page.values.setFloat32(at, value, true);
      else page.values.setInt32(at, value, true);
    });
    return { buffer: page.buffer, offset, size: SLOT };
  }

  private page(index: number): Page {
    const known = this.pages[index];
    if (known) return known;
    const size = SLOT * SLOTS_A_PAGE;
    const usage = GPUBufferUsage.UNIFORM | GPUBufferUsage.COPY_DST;
    const page = {
      buffer: this.gpu.device.createBuffer({ size, usage }),
      values: new DataView(new ArrayBuffer(size)),
    };
    this.pages.push(page);
    return page;
  }

  /** A buffer for this frame with these contents. */
  private filled(contents: Uint8Array | Uint32Array | Float32Array): GPUBuffer {
    const size = Math.max(16, Math.ceil(contents.byteLength / 16) * 16);
    const usage = GPUBufferUsage.STORAGE | GPUBufferUsage.COPY_SRC;
    const buffer = this.gpu.device.createBuffer({ size, usage, mappedAtCreation: true });
    const bytes = new Uint8Array(contents.buffer, contents.byteOffset, contents.byteLength);
    new Uint8Array(buffer.getMappedRange()).set(bytes);
    buffer.unmap();
    this.once.push(buffer);
    return buffer;
  }

  private openPass(): GPUComputePassEncoder {
    if (this.pass) return this.pass;
    const { openMark, queries } = this;
    const timestampWrites =
      queries && openMark !== undefined ? { querySet: queries, beginningOfPassWriteIndex: openMark } : undefined;
    this.openMark = undefined;
    this.pass = this.encoder!.beginComputePass({ timestampWrites });
    return this.pass;
  }

  private endPass(): void {
    this.pass?.end();
    this.pass = undefined;
  }

  /** A mark is the beginning of the pass that follows it, which may have nothing else in it. */
  private writeMark(): void {
    if (this.openMark !== undefined) this.openPass();
    this.endPass();
  }

  private resolveTimes(): GPUBuffer | undefined {
    if (!this.queries || this.marks === 0) return undefined;
    this.writeMark();
    const { device } = this.gpu;
    const size = this.marks * TIME_BYTES;
    const resolved = device.createBuffer({ size, usage: GPUBufferUsage.QUERY_RESOLVE | GPUBufferUsage.COPY_SRC });
    const times = device.createBuffer({ size, usage: GPUBufferUsage.MAP_READ | GPUBufferUsage.COPY_DST });
    this.encoder!.resolveQuerySet(this.queries, 0, this.marks, resolved, 0);
    this.encoder!.copyBufferToBuffer(resolved, 0, times, 0, size);
    this.once.push(resolved);
    return times;
  }
}

/** Half values as float32, exactly. */
function floatsOfHalves(halves: Uint8Array): Float32Array {
  const bits = new Uint16Array(halves.buffer, halves.byteOffset, halves.byteLength / 2);
  const floats = new Float32Array(bits.length);
  const fields = new Uint32Array(floats.buffer);
  for (let i = 0; i < bits.length; i++) {
    const half = bits[i]!;
    const [exponent, fraction] = [(half >> 10) & 31, half & 1023];
    if (exponent === 0) floats[i] = (half & 0x8000 ? -1 : 1) * fraction * 2 ** -24;
    else fields[i] = ((half & 0x8000) << 16) | ((exponent === 31 ? 255 : exponent + 112) << 23) | (fraction << 13);
  }
  return floats;
}

function sizeOf({ window }: Raster): [width: number, height: number] {
  return [window.width, window.height];
}

/** Workgroups that cover a window. */
function squares({ width, height }: Window): [across: number, down: number] {
  return [Math.ceil(width / SQUARE), Math.ceil(height / SQUARE)];
}

/** Pixels from the start of `window` to the first of `area` within it. */
function offsetOf(window: Window, area: Window): number {
  return (area.y - window.y) * window.width + (area.x - window.x);
}

/** From line to line and from pixel to pixel of a line, in pixels. */
function strides(isRows: boolean, width: number): [line: number, step: number] {
  return isRows ? [width, 1] : [1, width];
}
