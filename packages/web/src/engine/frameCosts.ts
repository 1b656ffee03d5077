import {
  CostModel,
  FULL_QUALITY,
  type ContentKey,
  type FrameNumber,
  type FrameRange,
  type GraphNode,
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

/** What rendering one frame took. */
export type FrameTiming = Pick<RenderedFrame, "ms" | "costs" | "nodesTimed"> & { readonly renderer: RendererClass };

// A measurement is about 300 bytes: some 30 MB at the most.
const REMEMBERED = 100_000;

/** Where a cost comes from; the middle one was measured as a whole, but not layer by layer. */
const ESTIMATED = 0;
const MEASURED = 1;
const MEASURED_WHOLE = 2;

/** What each frame of the timeline costs: measured where it was rendered, otherwise estimated. */
export class FrameCosts {
  costs = new Float32Array(0);
  measured = new Uint8Array(0);
  private layers: readonly string[] = [];
  /** By layer, one value a frame. */
  private layerCosts: Float32Array[] = [];
  private readonly byKey = new Map<ContentKey, Measured>();
  private rangeMeans: { readonly range: FrameRange; readonly means: readonly Milliseconds[] } | undefined;

  /** What was measured on each class of renderer. */
  private readonly models = new Map<RendererClass, CostModel>();
  private renderer: RendererClass = FULL_QUALITY.renderer;

  /** Whether nothing was measured on a renderer yet. */
  isNew(renderer: RendererClass): boolean {
    return !this.models.has(renderer);
  }

  modelOf(renderer: RendererClass): CostModel {
    const known = this.models.get(renderer) ?? new CostModel();
    this.models.set(renderer, known);
    return known;
  }

  /** Starts afresh for a timeline; measurements stay known by key. */
  reset(duration: number, layers: readonly string[], renderer: RendererClass): void {
    this.renderer = renderer;
    this.costs = new Float32Array(duration);
    this.measured = new Uint8Array(duration);
    this.layers = layers;
    this.layerCosts = layers.map(() => new Float32Array(duration));
  }

  /** Sets a frame's cost from what was measured, or by estimate. */
  place(frame: FrameNumber, key: ContentKey, root: GraphNode, still: ReadonlySet<ContentKey>): void {
    const known = this.byKey.get(key);
    if (known?.byLayer) {
      this.write(frame, known.ms, known.byLayer, MEASURED);
      return;
    }
    const { total, byLayer } = this.modelOf(this.renderer).estimateFrame(root, still);
    this.write(frame, known?.ms ?? total, byLayer, known ? MEASURED_WHOLE : ESTIMATED);
  }

  /** Takes in what a frame on disk took to render when it was stored. */
  learn(key: ContentKey, ms: Milliseconds): void {
    if (!this.byKey.has(key) && this.byKey.size < REMEMBERED) this.byKey.set(key, { ms });
  }

  /**
   * Takes a measurement in. What a still branch took when it was rendered for all frames is not charged to
   * the one frame that happened to come first.
   */
  record(
    key: ContentKey,
    frames: readonly FrameNumber[],
    { ms: totalMs, costs: samples, renderer, nodesTimed }: FrameTiming,
    still: ReadonlySet<ContentKey>,
  ): void {
    const model = this.modelOf(renderer);
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
    if (this.byKey.size >= REMEMBERED) this.byKey.clear();
    this.byKey.set(key, nodesTimed ? { ms, byLayer } : { ms });
    for (const frame of frames) this.write(frame, ms, byLayer, nodesTimed ? MEASURED : MEASURED_WHOLE);
  }

  measuredMs(key: ContentKey): Milliseconds | undefined {
    return this.byKey.get(key)?.ms;
  }

  layerSummary(playhead: FrameNumber, range: FrameRange): LayerCost[] {
    if (this.rangeMeans?.range !== range)
      this.rangeMeans = { range, means: this.layerCosts.map((costs) => mean(costs, range)) };
    const { means } = this.rangeMeans;
    const rangeMeasured = this.measured.subarray(range.in, range.out).every((origin) => origin === MEASURED);
    const isKnown = this.costs[playhead]! > 0;
    const isRangeKnown = this.costs.subarray(range.in, range.out).some((ms) => ms > 0);
    return this.layers.map((layer, index) => ({
      layer,
      playheadMs: isKnown ? this.layerCosts[index]![playhead]! : undefined,
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
    this.layers.forEach((layer, index) => {
      this.layerCosts[index]![frame] = byLayer.get(layer) ?? 0;
    });
  }
}

function mean(costs: Float32Array, range: FrameRange): Milliseconds {
  let sum = 0;
  for (let frame = range.in; frame < range.out; frame++) sum += costs[frame]!;
  return sum / Math.max(1, range.out - range.in);
}
