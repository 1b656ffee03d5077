import { encodeTable, type Depth } from "@kinetocache/core";
import type { Kernels } from "@kinetocache/kernels";
import type { HeldPicture } from "./diskClient";

/** Puts finished frames on the canvas of whichever screen shows the viewer. */
export class Viewer {
  private context: OffscreenCanvasRenderingContext2D | undefined;
  /** What the canvas shows; one for all frames of a size, so that showing leaves nothing to be collected. */
  private image: ImageData | undefined;
  private readonly encode: number;
  private readonly encodeSize: number;

  constructor(private readonly kernels: Kernels) {
    const table = encodeTable();
    this.encodeSize = table.length;
    this.encode = kernels.arena.allocate(table.length);
    new Uint8Array(kernels.run.memory.buffer, this.encode, this.encodeSize).set(table);
  }

  attach(canvas: OffscreenCanvas): void {
    this.context = canvas.getContext("2d", { alpha: true }) ?? undefined;
  }

  show(picture: HeldPicture): void {
    if (!this.context) return;
    const { canvas } = this.context;
    const { width, height } = picture;
    if (canvas.width !== width || canvas.height !== height) {
      canvas.width = width;
      canvas.height = height;
    }
    if (this.image?.width !== width || this.image.height !== height) this.image = new ImageData(width, height);
    this.fill(this.image.data, picture);
    this.context.putImageData(this.image, 0, 0);
  }

  /** 8-bit frames are shown as they are; deeper ones are converted. */
  private fill(target: Uint8ClampedArray, { depth, pixels }: HeldPicture): void {
    if (depth === "8-bit") target.set(pixels);
    else this.convert(target, depth, pixels);
  }

  private convert(shown: Uint8ClampedArray, depth: Exclude<Depth, "8-bit">, pixels: Uint8Array): void {
    const { run, arena } = this.kernels;
    const count = pixels.byteLength / (depth === "half" ? 8 : 16);
    const source = arena.allocate(pixels.byteLength);
    const target = arena.allocate(count * 4);
    new Uint8Array(run.memory.buffer, source, pixels.byteLength).set(pixels);
    if (depth === "half") run.halfToSrgb8(target, source, count, this.encode);
    else run.toSrgb8(target, source, count, this.encode);
    shown.set(new Uint8Array(run.memory.buffer, target, count * 4));
    arena.release(source);
    arena.release(target);
  }
}
