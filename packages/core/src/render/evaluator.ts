import type { Asset } from "../composition";
import {
  effectOf,
  PIXEL_BYTES,
  pixelCount,
  RenderCancelled,
  sourceOf,
  type Canvas,
  type Raster,
  type Surroundings,
} from "../drawing";
import { inOrder, type ContentKey, type EffectNode, type GraphNode, type PlaceNode, type SourceNode } from "../graph";
import { NO_BRANCHES, type Branch, type BranchExchange } from "./branch";
import { picturesOf, type Media } from "./media";

/** Branches that stay still are kept from frame to frame up to this size, by every renderer. */
export const HELD_BYTES = 384 * 2 ** 20;

/** The evaluation of one node, between two marks of the canvas. */
export interface Span {
  readonly node: GraphNode;
  readonly from: number;
  readonly to: number;
}

// A branch that as many frames did without is not still any more, as one of a clip that shows each frame twice.
const UNUSED_FRAMES = 12;

interface Held<R> {
  readonly raster: R;
  readonly bytes: number;
  /** Frame that used it last, counted by this evaluator. */
  usedAt: number;
}

interface Run<R> {
  readonly branches: ReadonlyMap<ContentKey, Branch>;
  readonly results: Map<ContentKey, R>;
  readonly uses: Map<ContentKey, number>;
  readonly spans: Span[];
  readonly cancelled: () => boolean;
}

/** Evaluates graphs on a canvas. One instance works on one frame at a time. */
export class Evaluator<R extends Raster> {
  private readonly surroundings: Surroundings<R>;
  private assets: Readonly<Record<string, Asset>> = {};
  /** Branches kept for the next frames, least recently used first. */
  private readonly held = new Map<ContentKey, Held<R>>();
  private heldTotal = 0;
  private frames = 0;
  private previousKeys: ReadonlySet<ContentKey> = new Set();

  /** @param mostHeldBytes bytes of branches that may be kept from frame to frame */
  constructor(
    private readonly canvas: Canvas<R>,
    media: Media,
    private readonly mostHeldBytes: number,
  ) {
    this.surroundings = { canvas, pictures: picturesOf(media, () => this.assets) };
  }

  /** Bytes of branches kept at present. */
  get heldBytes(): number {
    return this.heldTotal;
  }

  /** Artwork and stills that graphs refer to by id. */
  setAssets(assets: Readonly<Record<string, Asset>>): void {
    this.assets = assets;
  }

  /** Frames of clips and sequences that evaluating a graph would draw now: those that no held branch stands for. */
  mediaOf(root: GraphNode, { held }: Pick<BranchExchange, "held"> = NO_BRANCHES): SourceNode[] {
    const found = new Map<ContentKey, SourceNode>();
    const visit = (node: GraphNode) => {
      if (this.held.has(node.key) || held.has(node.key)) return;
      if (node.kind === "clip" || node.kind === "sequence") found.set(node.key, node);
      node.inputs.forEach(visit);
    };
    visit(root);
    return [...found.values()];
  }

  /**
   * Evaluates a graph and hands its picture to `finish`, after which the picture is given back.
   * @param cancelled asked between nodes
   * @param branches branches that need not be evaluated, and those that `keep` is handed beside the picture
   * @returns what `finish` made of it, and each node that was evaluated; a node that was held is not among them
   * @throws RenderCancelled, RangeError when memory runs out, or what a source throws on bad artwork
   */
  evaluate<T>(
    root: GraphNode,
    cancelled: () => boolean,
    finish: (picture: R) => T,
    branches: BranchExchange = NO_BRANCHES,
    keep: (key: ContentKey, picture: R) => void = () => undefined,
  ): { readonly finished: T; readonly spans: readonly Span[] } {
    const results = new Map<ContentKey, R>();
    const spans: Span[] = [];
    const uses = countUses(root, (key) => this.held.has(key) || branches.held.has(key));
    // What is to be kept must still be there at the end.
    for (const key of branches.keep) uses.set(key, (uses.get(key) ?? 0) + 1);
    this.frames++;
    try {
      const finished = finish(this.visit(root, { results, uses, spans, cancelled, branches: branches.held }));
      for (const key of branches.keep) {
        const picture = results.get(key) ?? this.held.get(key)?.raster;
        if (picture) keep(key, picture);
      }
      this.keepStill(root, results);
      this.dropUnused();
      return { finished, spans };
    } finally {
      for (const raster of results.values()) this.canvas.release(raster);
      this.previousKeys = new Set(inOrder(root).map((node) => node.key));
    }
  }

  private visit(node: GraphNode, run: Run<R>): R {
    const ready = run.results.get(node.key) ?? this.heldRaster(node.key) ?? this.taken(node, run);
    if (ready) return ready;
    const inputs = node.inputs.map((input) => this.visit(input, run));
    if (run.cancelled()) throw new RenderCancelled();
    const from = this.canvas.mark();
    const raster = this.apply(node, inputs);
    run.spans.push({ node, from, to: this.canvas.mark() });
    run.results.set(node.key, raster);
    for (const input of node.inputs) this.useOnce(input, run);
    return raster;
  }

  /** A branch that another renderer made. */
  private taken({ key }: GraphNode, { branches, results }: Run<R>): R | undefined {
    const branch = branches.get(key);
    if (!branch) return undefined;
    const { window, pixels } = branch;
    const { width, height } = window;
    const raster = { ...this.canvas.uploadLinear({ width, height, depth: "float", data: pixels }), window };
    results.set(key, raster);
    return raster;
  }

  /** Releases an input after its last use, unless it is to stay for the next frame. */
  private useOnce(input: GraphNode, { uses, results }: Run<R>): void {
    const left = uses.get(input.key)! - 1;
    uses.set(input.key, left);
    const raster = results.get(input.key);
    if (left > 0 || !raster || this.previousKeys.has(input.key)) return;
    this.canvas.release(raster);
    results.delete(input.key);
  }

  private heldRaster(key: ContentKey): R | undefined {
    const held = this.held.get(key);
    if (!held) return undefined;
    this.held.delete(key);
    this.held.set(key, held);
    held.usedAt = this.frames;
    return held.raster;
  }

  private apply(node: GraphNode, inputs: readonly R[]): R {
    if (node.kind === "stack") return this.canvas.stack(node.window, inputs, node.placements);
    if (node.kind === "place") return this.place(node, inputs[0]!);
    if (node.inputs.length === 0) {
      const source = node as SourceNode;
      return sourceOf(source.kind).draw(source, this.surroundings);
    }
    const effect = node as EffectNode;
    return effectOf(effect.kind).apply(effect, inputs[0]!, this.canvas);
  }

  private place({ window, inverse }: PlaceNode, input: R): R {
    const raster = this.canvas.allocate(window);
    const [a, b, c, d, e, f] = inverse;
    const x = c + a * window.x + b * window.y - input.window.x;
    const y = f + d * window.x + e * window.y - input.window.y;
    this.canvas.affine(raster, input, [a, b, x, d, e, y]);
    return raster;
  }

  /**
   * Keeps the topmost branches that were the same in the frame before: they will most likely be the same in
   * the next. Least recently used branches make room.
   */
  private keepStill(root: GraphNode, results: Map<ContentKey, R>): void {
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

  private hold(key: ContentKey, raster: R): boolean {
    const bytes = pixelCount(raster.window) * PIXEL_BYTES;
    if (bytes > this.mostHeldBytes) return false;
    for (const [oldest, held] of this.held) {
      if (this.heldTotal + bytes <= this.mostHeldBytes) break;
      this.drop(oldest, held);
    }
    this.held.set(key, { raster, bytes, usedAt: this.frames });
    this.heldTotal += bytes;
    return true;
  }

  private dropUnused(): void {
    for (const [key, held] of this.held) {
      // Least recently used ones come first.
      if (this.frames - held.usedAt <= UNUSED_FRAMES) break;
      this.drop(key, held);
    }
  }

  private drop(key: ContentKey, { raster, bytes }: Held<R>): void {
    this.canvas.release(raster);
    this.held.delete(key);
    this.heldTotal -= bytes;
  }
}

/** How many nodes read each node, not counting what lies below a branch that is held. */
function countUses(root: GraphNode, isHeld: (key: ContentKey) => boolean): Map<ContentKey, number> {
  const uses = new Map<ContentKey, number>();
  const visit = (node: GraphNode) => {
    for (const input of node.inputs) {
      const before = uses.get(input.key) ?? 0;
      uses.set(input.key, before + 1);
      if (before === 0 && !isHeld(input.key)) visit(input);
    }
  };
  visit(root);
  return uses;
}
