import type { Kernels } from "@kinetocache/kernels";
import type { Asset, Depth, Milliseconds } from "../composition";
import { pixelCount, type ContentKey, type FrameGraph, type SourceNode } from "../graph";
import { costSample, type CostSample } from "./cost";
import { BYTES_A_PIXEL } from "./depth";
import { Evaluator } from "./evaluator";
import { KernelCanvas } from "./kernelCanvas";
import type { Media } from "./sources";

/** A finished frame: rows of RGBA without padding, at the depth of its key. 8-bit is straight sRGB; half and float are linear and premultiplied. */
export interface RenderedFrame {
  readonly key: ContentKey;
  readonly width: number;
  readonly height: number;
  readonly depth: Depth;
  readonly pixels: Uint8Array<ArrayBuffer>;
  /** Wall time of the whole frame. */
  readonly ms: Milliseconds;
  /** Time of each node that was evaluated; a node that was held is not among them. */
  readonly costs: readonly CostSample[];
  /** Whether each node was timed; otherwise the time of the frame was shared out by work: an estimate. */
  readonly nodesTimed: boolean;
  /** Most bytes of pixels alive at one time. */
  readonly peakBytes: number;
}

export interface RendererOptions {
  /** Clock in milliseconds. */
  readonly now: () => Milliseconds;
  readonly media: Media;
  /** Where finished pixels are put. */
  readonly newPixels: (bytes: number) => Uint8Array<ArrayBuffer>;
  /** Bytes of branches that may be kept from frame to frame. */
  readonly heldBytes: number;
}

/** Renders frames on the processor. One instance works on one frame at a time. */
export class Renderer {
  private readonly evaluator;

  constructor(
    private readonly kernels: Kernels,
    private readonly options: RendererOptions,
    private readonly canvas = new KernelCanvas(kernels, options.now),
  ) {
    this.evaluator = new Evaluator(canvas, options.media, options.heldBytes);
  }

  /** Bytes of branches kept at present. */
  get heldBytes(): number {
    return this.evaluator.heldBytes;
  }

  /** Artwork and stills that graphs refer to by id. */
  setAssets(assets: Readonly<Record<string, Asset>>): void {
    this.evaluator.setAssets(assets);
  }

  /** Clips' frames that rendering a graph would draw now. */
  clipsOf(graph: FrameGraph): SourceNode[] {
    return this.evaluator.clipsOf(graph.root);
  }

  /**
   * @param cancelled asked between nodes
   * @throws RenderCancelled, RangeError when memory runs out, or what a source throws on bad artwork
   */
  render(graph: FrameGraph, cancelled: () => boolean = () => false): RenderedFrame {
    const { arena } = this.kernels;
    const { key, depth, root } = graph;
    const { width, height } = root.window;
    const start = this.options.now();
    arena.resetPeak();
    const { finished, spans } = this.evaluator.evaluate(root, cancelled, (picture) => {
      const pixels = this.options.newPixels(pixelCount(root.window) * BYTES_A_PIXEL[depth]);
      this.canvas.download(picture, depth, pixels);
      return { pixels, ms: this.options.now() - start };
    });
    const costs = spans.map(({ node, from, to }) => costSample(node, to - from));
    return { key, width, height, depth, ...finished, costs, nodesTimed: true, peakBytes: arena.peakBytes };
  }
}
