import {
  CostModel,
  type ContentKey,
  type FrameNumber,
  type FrameRange,
  type GraphNode,
  type Layer,
  type Milliseconds,
  type RenderedFrame,
  type RendererClass,
} from "@kinetocache/core";
import type { LayerCost } from "./protocol";

interface Measured {
  readonly ms: Milliseconds;
  /** Unknown for a frame that an earlier session rendered. */
  readonly byLayer?: ReadonlyMap<string, Milliseconds>;
}

/** A branch that did not have to be rendered for a frame, and what rendering it takes. */
export interface TakenBranch {
  readonly key: ContentKey;
  readonly layer: string;
  readonly costMs: Milliseconds;
}

/** What rendering one frame took. */
export type FrameTiming = Pick<RenderedFrame, "ms" | "costs" | "nodesTimed"> & { readonly renderer: RendererClass };

// A measurement is about 300 bytes: some 30 MB at the most.
const REMEMBERED = 100_000;

/** Where a cost comes from; the middle one was measured as a whole, but not layer by layer. */
const ESTIMATED = 0;
const MEASURED = 1;
const MEASURED_WHOLE = 2;

/** What was measured on this machine: cost models by class of renderer, and frames by key. */
export class CostBook {
  private readonly byKey = new Map<ContentKey, Measured>();
  private readonly models = new Map<RendererClass, CostModel>();

  /** Whether nothing was measured on a renderer yet. */
  isNew(renderer: RendererClass): boolean {
    return !this.models.has(renderer);
  }

  modelOf(renderer: RendererClass): CostModel {
    const known = this.models.get(renderer) ?? new CostModel();
    this.models.set(renderer, known);
    return known;
  }

  /** Takes in what a frame on disk took to render when it was stored. */
  learn(key: ContentKey, ms: Milliseconds): void {
    if (!this.byKey.has(key) && this.byKey.size < REMEMBERED) this.byKey.set(key, { ms });
  }

  note(key: ContentKey, measured: Measured): void {
    if (this.byKey.size >= REMEMBERED) this.byKey.clear();
    this.byKey.set(key, measured);
  }

  measured(key: ContentKey): Measured | undefined {
    return this.byKey.get(key);
  }
}

interface LayerCosts {
  readonly id: string;
  /** Frame of the first cost. */
  readonly first: FrameNumber;
  readonly costs: Float32Array;
}

/** What each frame of a timeline costs: measured where it was rendered, otherwise estimated. */
export class FrameCosts {
  readonly costs: Float32Array;
  readonly measured: Uint8Array;
  /** By layer, one value for each frame in which it can show: many layers of a long composition are short. */
  private readonly layers: readonly LayerCosts[];
  private rangeMeans: { readonly range: FrameRange; readonly means: readonly Milliseconds[] } | undefined;

  constructor(
    private readonly book: CostBook,
    duration: number,
    layers: readonly Pick<Layer, "id" | "range">[],
    private readonly renderer: RendererClass,
  ) {
    this.costs = new Float32Array(duration);
    this.measured = new Uint8Array(duration);
    this.layers = layers.map(({ id, range }) => {
      const first = Math.max(0, Math.min(duration, range.in));
      return { id, first, costs: new Float32Array(Math.max(0, Math.min(duration, range.out) - first)) };
    });
  }

  /** Sets a frame's cost from what was measured, or by estimate. */
  place(frame: FrameNumber, key: ContentKey, root: GraphNode, still: ReadonlySet<ContentKey>): void {
    const known = this.book.measured(key);
    if (known?.byLayer) {
      this.write(frame, known.ms, known.byLayer, MEASURED);
      return;
    }
    const { total, byLayer } = this.book.modelOf(this.renderer).estimateFrame(root, still);
    this.write(frame, known?.ms ?? total, byLayer, known ? MEASURED_WHOLE : ESTIMATED);
  }

  /**
   * Takes a measurement in. What a still branch took when it was rendered for all frames is not charged to
   * the one frame that happened to come first; what a branch that was taken over would have taken is.
   */
  record(
    key: ContentKey,
    frames: readonly FrameNumber[],
    { ms: totalMs, costs: samples, renderer, nodesTimed }: FrameTiming,
    still: ReadonlySet<ContentKey>,
    taken: readonly TakenBranch[] = [],
  ): void {
    const model = this.book.modelOf(renderer);
    const byLayer = new Map<string, Milliseconds>();
    let ms = totalMs;
    for (const sample of samples) {
      model.add(sample);
      if (still.has(sample.key)) {
        ms -= sample.ms;
        continue;
      }
      if (sample.layer !== null) byLayer.set(sample.layer, (byLayer.get(sample.layer) ?? 0) + sample.ms);
    }
    for (const { key: branch, layer, costMs } of taken) {
      if (still.has(branch)) continue;
      ms += costMs;
      byLayer.set(layer, (byLayer.get(layer) ?? 0) + costMs);
    }
    this.book.note(key, nodesTimed ? { ms, byLayer } : { ms });
    for (const frame of frames) this.write(frame, ms, byLayer, nodesTimed ? MEASURED : MEASURED_WHOLE);
  }

  /** What a layer costs on each frame of a range. */
  costsOf(layer: string, range: FrameRange): Float32Array {
    const costs = new Float32Array(range.out - range.in);
    const own = this.layers.find(({ id }) => id === layer);
    if (own) costs.set(part(own, range), Math.min(costs.length, Math.max(0, own.first - range.in)));
    return costs;
  }

  layerSummary(playhead: FrameNumber, range: FrameRange): LayerCost[] {
    if (this.rangeMeans?.range !== range)
      this.rangeMeans = { range, means: this.layers.map((layer) => mean(layer, range)) };
    const { means } = this.rangeMeans;
    const rangeMeasured = this.measured.subarray(range.in, range.out).every((origin) => origin === MEASURED);
    const isKnown = this.costs[playhead]! > 0;
    const isRangeKnown = this.costs.subarray(range.in, range.out).some((ms) => ms > 0);
    return this.layers.map(({ id, first, costs }, index) => ({
      layer: id,
      playheadMs: isKnown ? (costs[playhead - first] ?? 0) : undefined,
      rangeMs: isRangeKnown ? means[index]! : undefined,
      rangeMeasured,
      measured: this.measured[playhead] === MEASURED,
    }));
  }

  private write(
    frame: FrameNumber,
    ms: Milliseconds,
    byLayer: ReadonlyMap<string, Milliseconds>,
    origin: number,
  ): void {
    this.rangeMeans = undefined;
    this.costs[frame] = ms;
    this.measured[frame] = origin;
    for (const { id, first, costs } of this.layers) {
      if (frame >= first && frame - first < costs.length) costs[frame - first] = byLayer.get(id) ?? 0;
    }
  }
}

/** A layer's costs on the frames of a range in which it can show. */
function part({ first, costs }: LayerCosts, range: FrameRange): Float32Array {
  return costs.subarray(Math.max(0, range.in - first), Math.max(0, range.out - first));
}

function mean(layer: LayerCosts, range: FrameRange): Milliseconds {
  return part(layer, range).reduce((sum, ms) => sum + ms, 0) / Math.max(1, range.out - range.in);
}
