import {
  BYTES_A_PIXEL,
  costSample,
  Evaluator,
  HELD_BYTES,
  pixelCount,
  workUnits,
  type Asset,
  type CostSample,
  type FrameGraph,
  type GraphNode,
  type GraphicsChoice,
  type Media,
  type Milliseconds,
  type RenderedFrame,
  type SourceNode,
  type Span,
} from "@kinetocache/core";
import { newPixels } from "../pixels";
import { GpuCanvas, type Staged } from "./gpuCanvas";
import { openDevice, type GpuDevice } from "./gpuDevice";
import { GraphicsError } from "./graphicsError";

/** Renders frames on a graphics device. One instance works on one frame at a time. */
export class GpuRenderer {
  private readonly canvas: GpuCanvas;
  private readonly evaluator;

  /** @throws GraphicsError when there is no device, or it cannot run the shaders */
  static async open(choice: GraphicsChoice, media: Media): Promise<GpuRenderer> {
    return new GpuRenderer(await openDevice(choice), media);
  }

  private constructor(
    private readonly gpu: GpuDevice,
    media: Media,
  ) {
    this.canvas = new GpuCanvas(gpu);
    this.evaluator = new Evaluator(this.canvas, media, HELD_BYTES);
  }

  /** Memory of the device that is taken. */
  get memoryBytes(): number {
    return this.canvas.memoryBytes;
  }

  /** Artwork and stills that graphs refer to by id. */
  setAssets(assets: Readonly<Record<string, Asset>>): void {
    this.evaluator.setAssets(assets);
  }

  /** Frames of clips and sequences that rendering would draw now. */
  mediaOf(root: GraphNode): SourceNode[] {
    return this.evaluator.mediaOf(root);
  }

  /** Whether the device is gone; what it renders is not to be had again. */
  get isLost(): boolean {
    return this.gpu.lost() !== undefined;
  }

  close(): void {
    this.gpu.device.destroy();
  }

  /**
   * @param cancelled asked between nodes, while the frame's commands are recorded
   * @throws RenderCancelled; GraphicsError when the device is lost or cannot do this frame, after which this
   * renderer is of no more use; or what a source throws on bad artwork
   */
  async render(graph: FrameGraph, cancelled: () => boolean = () => false): Promise<RenderedFrame> {
    const { key, depth, root } = graph;
    const { width, height } = root.window;
    const startMs = performance.now();
    const { device } = this.gpu;
    this.failIfLost();
    device.pushErrorScope("out-of-memory");
    device.pushErrorScope("validation");
    let recorded: { readonly finished: Staged; readonly spans: readonly Span[] } | undefined;
    let faults: readonly (GPUError | null)[];
    try {
      this.canvas.start();
      recorded = this.evaluator.evaluate(root, cancelled, (picture) => this.canvas.submit(picture, depth));
    } finally {
      this.canvas.end();
      faults = await Promise.all([device.popErrorScope(), device.popErrorScope()]);
    }
    const fault = faults.find((error) => error !== null);
    if (fault) throw new GraphicsError(fault.message, false);
    const { finished, spans } = recorded;
    const pixels = newPixels(pixelCount(root.window) * BYTES_A_PIXEL[depth]);
    await this.read(finished.pixels, (bytes) => pixels.set(bytes));
    const ms = performance.now() - startMs;
    const { costs, nodesTimed } = await this.costsOf(spans, finished, ms);
    return { key, width, height, depth, pixels, ms, costs, nodesTimed, peakBytes: this.canvas.peakBytes, branches: [] };
  }

  private async costsOf(
    spans: readonly Span[],
    { times, marks }: Staged,
    ms: Milliseconds,
  ): Promise<{ readonly costs: readonly CostSample[]; readonly nodesTimed: boolean }> {
    if (!times) {
      const units = spans.reduce((sum, { node }) => sum + workUnits(node), 0);
      const share = units > 0 ? ms / units : 0;
      return { costs: spans.map(({ node }) => costSample(node, workUnits(node) * share)), nodesTimed: false };
    }
    const at = new Float64Array(marks);
    await this.read(times, (bytes) => {
      const nanoseconds = new BigUint64Array(bytes.buffer, bytes.byteOffset, marks);
      // Differences from the first are small enough for a number.
      for (let mark = 0; mark < marks; mark++) at[mark] = Number(nanoseconds[mark]! - nanoseconds[0]!) / 1e6;
    });
    // A device may set its clock between two passes; a node takes no less than nothing.
    const costs = spans.map(({ node, from, to }) => costSample(node, Math.max(0, at[to]! - at[from]!)));
    return { costs, nodesTimed: true };
  }

  private async read(buffer: GPUBuffer, receive: (bytes: Uint8Array) => void): Promise<void> {
    try {
      await buffer.mapAsync(GPUMapMode.READ);
      receive(new Uint8Array(buffer.getMappedRange()));
    } catch (cause) {
      this.failIfLost();
      throw new GraphicsError((cause as Error).message, false, { cause });
    } finally {
      buffer.destroy();
    }
  }

  private failIfLost(): void {
    const lost = this.gpu.lost();
    if (lost !== undefined) throw new GraphicsError(`The graphics device was lost: ${lost}`, true);
  }
}
