import type { Kernels } from "@kinetocache/kernels";
import type { Asset, Depth, Milliseconds } from "../composition";
import {
  inOrder,
  pixelCount,
  type ContentKey,
  type EffectNode,
  type FrameGraph,
  type GraphNode,
  type PlaceNode,
  type SourceNode,
  type StackNode,
} from "../graph";
import { decodeTable, encodeTable, ENCODE_ENTRIES } from "./colour";
import type { CostSample } from "./cost";
import { APPLY } from "./effects";
import { addressAt, Canvas, PIXEL_BYTES, type Raster } from "./raster";
import { DRAW, type Pixels8, type SourceEnvironment, type SvgAsset } from "./sources";
import { workUnits } from "./work";

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
  /** Most bytes of pixels alive at one time. */
  readonly peakBytes: number;
}

export interface RendererOptions {
  /** Clock in milliseconds. */
  readonly now: () => Milliseconds;
  /** Artwork as premultiplied 8-bit pixels `width` across. */
  readonly drawArtwork: (artwork: SvgAsset, width: number) => Pixels8;
  /** Where finished pixels are put. */
  readonly newPixels: (bytes: number) => Uint8Array<ArrayBuffer>;
  /** Bytes of branches that may be kept from frame to frame. */
  readonly heldBytes: number;
}

/** Thrown by `render` when its `cancelled` said so; nothing is lost but the work. */
export class RenderCancelled extends Error {
  constructor() {
    super("Rendering was cancelled");
    this.name = "RenderCancelled";
  }
}

/** Branches that stay still are kept from frame to frame up to this size, by every renderer. */
export const HELD_BYTES = 384 * 2 ** 20;

// Rows blended before the next layer follows: the part of the picture that is written stays in the cache.
const BAND = 8;

export const BYTES_A_PIXEL: Readonly<Record<Depth, number>> = { "8-bit": 4, half: 8, float: 16 };

interface Held {
  readonly raster: Raster;
  readonly bytes: number;
}

/** Evaluates graphs with the kernels. One instance works on one frame at a time. */
export class Renderer {
  private readonly environment: SourceEnvironment;
  private readonly decode: number;
  private readonly encode: number;
  private assets: Readonly<Record<string, Asset>> = {};
  /** Branches kept for the next frames, least recently used first. */
  private readonly held = new Map<ContentKey, Held>();
  private heldTotal = 0;
  private previousKeys: ReadonlySet<ContentKey> = new Set();

  constructor(
    private readonly kernels: Kernels,
    private readonly options: RendererOptions,
    private readonly canvas = new Canvas(kernels),
  ) {
    this.environment = {
      canvas: this.canvas,
      asset: (id) => this.asset(id),
      drawArtwork: options.drawArtwork,
      upload: (pixels, premultiplied) => this.upload(pixels, premultiplied),
    };
    const decode = decodeTable();
    this.decode = kernels.arena.allocate(decode.byteLength);
    this.canvas.write(this.decode, decode);
    this.encode = kernels.arena.allocate(ENCODE_ENTRIES);
    this.canvas.write(this.encode, encodeTable());
  }

  /** Bytes of branches kept at present. */
  get heldBytes(): number {
    return this.heldTotal;
  }

  /** Artwork and stills that graphs refer to by id. */
  setAssets(assets: Readonly<Record<string, Asset>>): void {
    this.assets = assets;
  }

  /**
   * @param cancelled asked between nodes
   * @throws RenderCancelled, RangeError when memory runs out, or what a source throws on bad artwork
   */
  render(graph: FrameGraph, cancelled: () => boolean = () => false): RenderedFrame {
    const { arena } = this.kernels;
    const start = this.options.now();
    arena.resetPeak();
    const costs: CostSample[] = [];
    const results = new Map<ContentKey, Raster>();
    const uses = countUses(graph.root, this.held);
    try {
      const finished = this.evaluate(graph.root, { results, uses, costs, cancelled });
      const pixels = this.convert(finished, graph.depth);
      const { width, height } = finished.window;
      const ms = this.options.now() - start;
      this.keepStill(graph.root, results);
      return { key: graph.key, width, height, depth: graph.depth, pixels, ms, costs, peakBytes: arena.peakBytes };
    } finally {
      for (const raster of results.values()) this.canvas.release(raster);
      this.previousKeys = new Set(inOrder(graph.root).map((node) => node.key));
    }
  }

  private evaluate(node: GraphNode, run: Run): Raster {
    const ready = run.results.get(node.key) ?? this.heldRaster(node.key);
    if (ready) return ready;
    const inputs = node.inputs.map((input) => this.evaluate(input, run));
    if (run.cancelled()) throw new RenderCancelled();
    const start = this.options.now();
    const raster = this.apply(node, inputs);
    run.costs.push({
      key: node.key,
      kind: node.kind,
      layer: node.layer,
      units: workUnits(node),
      ms: this.options.now() - start,
    });
    run.results.set(node.key, raster);
    for (const input of node.inputs) this.useOnce(input, run);
    return raster;
  }

  /** Releases an input after its last use, unless it is to stay for the next frame. */
  private useOnce(input: GraphNode, { uses, results }: Run): void {
    const left = uses.get(input.key)! - 1;
    uses.set(input.key, left);
    const raster = results.get(input.key);
    if (left > 0 || !raster || this.previousKeys.has(input.key)) return;
    this.canvas.release(raster);
    results.delete(input.key);
  }

  private heldRaster(key: ContentKey): Raster | undefined {
    const held = this.held.get(key);
    if (!held) return undefined;
    this.held.delete(key);
    this.held.set(key, held);
    return held.raster;
  }

  private apply(node: GraphNode, inputs: readonly Raster[]): Raster {
    if (node.kind === "stack") return this.stack(node, inputs);
    if (node.kind === "place") return this.place(node, inputs[0]!);
    if (node.inputs.length === 0) return DRAW[(node as SourceNode).kind](node as SourceNode, this.environment);
    return APPLY[(node as EffectNode).kind](node as EffectNode, inputs[0]!, this.canvas);
  }

  private place(node: PlaceNode, input: Raster): Raster {
    const raster = this.canvas.allocate(node.window);
    const [a, b, c, d, e, f] = node.inverse;
    const { window } = node;
    this.kernels.run.affine(
      raster.address,
      window.width,
      window.height,
      input.address,
      input.window.width,
      input.window.height,
      a,
      b,
      c + a * window.x + b * window.y - input.window.x,
      d,
      e,
      f + d * window.x + e * window.y - input.window.y,
    );
    return raster;
  }

  private stack(node: StackNode, inputs: readonly Raster[]): Raster {
    const { run } = this.kernels;
    const { window } = node;
    const raster = this.canvas.allocateClear(window);
    for (let y = window.y; y < window.y + window.height; y += BAND) {
      inputs.forEach((input, index) => {
        const top = Math.max(y, input.window.y);
        const bottom = Math.min(y + BAND, window.y + window.height, input.window.y + input.window.height);
        const left = Math.max(window.x, input.window.x);
        const right = Math.min(window.x + window.width, input.window.x + input.window.width);
        if (bottom <= top || right <= left) return;
        const { opacity, blend } = node.placements[index]!;
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

  private convert(raster: Raster, depth: Depth): Uint8Array<ArrayBuffer> {
    const count = pixelCount(raster.window);
    const bytes = count * BYTES_A_PIXEL[depth];
    const pixels = this.options.newPixels(bytes);
    if (depth === "float") {
      this.canvas.read(raster.address, pixels);
      return pixels;
    }
    return this.canvas.withScratch(bytes, (address) => {
      if (depth === "half") this.kernels.run.toHalf(address, raster.address, count);
      else this.kernels.run.toSrgb8(address, raster.address, count, this.encode);
      this.canvas.read(address, pixels);
      return pixels;
    });
  }

  /**
   * Keeps the topmost branches that were the same in the frame before: they will most likely be the same in
   * the next. Least recently used branches make room.
   */
  private keepStill(root: GraphNode, results: Map<ContentKey, Raster>): void {
    const visit = (node: GraphNode) => {
      const raster = results.get(node.key);
      if (node !== root && this.previousKeys.has(node.key) && raster) {
        if (this.hold(node.key, raster)) results.delete(node.key);
        return;
      }
      if (!this.held.has(node.key)) node.inputs.forEach(visit);
    };
    visit(root);
  }

  private hold(key: ContentKey, raster: Raster): boolean {
    const bytes = pixelCount(raster.window) * PIXEL_BYTES;
    if (bytes > this.options.heldBytes) return false;
    for (const [oldest, { raster: old, bytes: freed }] of this.held) {
      if (this.heldTotal + bytes <= this.options.heldBytes) break;
      this.canvas.release(old);
      this.held.delete(oldest);
      this.heldTotal -= freed;
    }
    this.held.set(key, { raster, bytes });
    this.heldTotal += bytes;
    return true;
  }

  private asset(id: string): Asset {
    const asset = this.assets[id];
    if (!asset) throw new RangeError(`The document has no asset "${id}"`);
    return asset;
  }

  private upload({ width, height, data }: Pixels8, premultiplied: boolean): Raster {
    const raster = this.canvas.allocate({ x: 0, y: 0, width, height });
    this.canvas.withScratch(width * height * BYTES_A_PIXEL["8-bit"], (address) => {
      this.canvas.write(address, data);
      this.kernels.run.fromSrgb8(raster.address, address, width * height, this.decode, Number(premultiplied));
    });
    return raster;
  }
}

interface Run {
  readonly results: Map<ContentKey, Raster>;
  readonly uses: Map<ContentKey, number>;
  readonly costs: CostSample[];
  readonly cancelled: () => boolean;
}

/** How many nodes read each node, not counting what lies below a branch that is held. */
function countUses(root: GraphNode, held: ReadonlyMap<ContentKey, unknown>): Map<ContentKey, number> {
  const uses = new Map<ContentKey, number>();
  const visit = (node: GraphNode) => {
    for (const input of node.inputs) {
      const before = uses.get(input.key) ?? 0;
      uses.set(input.key, before + 1);
      if (before === 0 && !held.has(input.key)) visit(input);
    }
  };
  visit(root);
  return uses;
}
