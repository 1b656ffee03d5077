import type { Kernels } from "@kinetocache/kernels";
import type { Asset, Depth, Milliseconds } from "../composition";
import { PIXEL_BYTES, pixelCount } from "../drawing";
import { type ContentKey, type FrameGraph, type GraphNode, type SourceNode } from "../graph";
import { NO_BRANCHES, type Branch, type BranchExchange } from "./branch";
import { costSample, type CostSample } from "./cost";
import { BYTES_A_PIXEL } from "./depth";
import { Evaluator, type Span } from "./evaluator";
import { KernelCanvas, type KernelRaster } from "./kernelCanvas";
import type { Media } from "./media";

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
  /** The branches that were wanted beside the frame, cut to what they hold. */
  readonly branches: readonly Branch[];
}

/** One branch by itself. */
export interface RenderedBranch extends Pick<RenderedFrame, "ms" | "costs"> {
  readonly branch: Branch;
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

  /** Bytes of linear memory in use at present. */
  get usedBytes(): number {
    return this.kernels.arena.usedBytes;
  }

  /** Artwork and stills that graphs refer to by id. */
  setAssets(assets: Readonly<Record<string, Asset>>): void {
    this.evaluator.setAssets(assets);
  }

  /** Frames of clips and sequences that rendering would draw now. */
  mediaOf(root: GraphNode, branches?: BranchExchange): SourceNode[] {
    return this.evaluator.mediaOf(root, branches);
  }

  /**
   * @param cancelled asked between nodes and within them, every few milliseconds
   * @param branches branches that need not be rendered, and those that are wanted beside the frame
   * @throws RenderCancelled, RangeError when memory runs out, or what a source throws on bad artwork
   */
  render(
    graph: FrameGraph,
    cancelled: () => boolean = () => false,
    branches: BranchExchange = NO_BRANCHES,
  ): RenderedFrame {
    const { arena } = this.kernels;
    const { key, depth, root } = graph;
    const { width, height } = root.window;
    const kept: Branch[] = [];
    const { finished, spans } = this.run(root, cancelled, branches, kept, (picture, start) => {
      const pixels = this.options.newPixels(pixelCount(root.window) * BYTES_A_PIXEL[depth]);
      this.canvas.download(picture, depth, pixels);
      return { pixels, ms: this.options.now() - start };
    });
    const costs = spans.map(({ node, from, to }) => costSample(node, to - from));
    const peakBytes = arena.peakBytes;
    return { key, width, height, depth, ...finished, costs, nodesTimed: true, peakBytes, branches: kept };
  }

  /** Renders a branch of a frame, a layer's finished pixels. Parameters and errors are those of `render`. */
  renderBranch(
    node: GraphNode,
    cancelled: () => boolean = () => false,
    branches: BranchExchange = NO_BRANCHES,
  ): RenderedBranch {
    const { finished, spans } = this.run(node, cancelled, branches, [], (picture, start) => {
      const branch = this.branchOf(node.key, picture);
      return { branch, ms: this.options.now() - start };
    });
    return { ...finished, costs: spans.map(({ node, from, to }) => costSample(node, to - from)) };
  }

  private run<T>(
    root: GraphNode,
    cancelled: () => boolean,
    branches: BranchExchange,
    kept: Branch[],
    finish: (picture: KernelRaster, startMs: Milliseconds) => T,
  ): { readonly finished: T; readonly spans: readonly Span[] } {
    const { arena } = this.kernels;
    const start = this.options.now();
    const mark = arena.mark();
    arena.resetPeak();
    this.canvas.cancelled = cancelled;
    try {
      return this.evaluator.evaluate(
        root,
        cancelled,
        (picture) => finish(picture, start),
        branches,
        (key, picture) => kept.push(this.branchOf(key, picture)),
      );
    } catch (error) {
      // What the effect that was stopped had in use. Branches are held only when a frame was finished.
      arena.releaseSince(mark);
      throw error;
    }
  }

  /** A copy of a picture, cut to what it holds. */
  private branchOf(key: ContentKey, picture: KernelRaster): Branch {
    const window = this.canvas.contentWindow(picture);
    const pixels = this.options.newPixels(pixelCount(window) * PIXEL_BYTES);
    this.canvas.downloadPart(picture, window, pixels);
    return { key, window, pixels };
  }
}
