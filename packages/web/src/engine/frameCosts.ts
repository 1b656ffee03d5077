import {
  CostModel,
  type ContentKey,
  type CostSample,
  type CostKnowledge,
  type FrameEstimate,
  type FrameGraph,
  type FrameNumber,
  type FrameRange,
  type Layer,
  type Milliseconds,
  type NodeKind,
  type RenderedFrame,
  type RendererClass,
} from "@kinetocache/core";

/** What a layer costs. */
export interface LayerCost {
  readonly layer: string;
  /** At the playhead; undefined while nothing is known. */
  readonly playheadMs?: Milliseconds;
  /** Mean over the in–out range; undefined while nothing is known of it. */
  readonly rangeMs?: Milliseconds;
  /** What drawing took that is done once for all frames; undefined where nothing was drawn once, or not yet. */
  readonly onceMs?: Milliseconds;
  /** Whether every frame of the range was measured layer by layer. */
  readonly rangeMeasured: boolean;
  /** Whether the figure at the playhead was measured. */
  readonly measured: boolean;
}

/** What rendering a frame took. */
interface Measured {
  readonly ms: Milliseconds;
  /** Unknown for a frame that an earlier session rendered, or that a device rendered that times no single effect. */
  readonly byLayer?: ReadonlyMap<string, Milliseconds>;
  /** Less than 1 where others took the processor meanwhile. */
  readonly weight: number;
}

/** What is known of a frame: the middle one of the last times that it was rendered. */
interface Known extends Measured {
  readonly times: number;
}

/** A branch that did not have to be rendered for a frame, and what rendering it takes. */
export interface TakenBranch {
  readonly key: ContentKey;
  readonly layer: string;
  readonly costMs: Milliseconds;
}

/** What rendering one frame took. */
export interface FrameTiming extends Pick<RenderedFrame, "ms" | "costs" | "nodesTimed"> {
  readonly renderer: RendererClass;
  /** How many the frame has. */
  readonly pixels: number;
  /** Share of the time in which the renderer had the processor, above 0 to 1; 1 where nobody could tell. */
  readonly share?: number;
}

/** What was measured of a composition on this machine, as plain data that can be kept. */
export interface CostRecord {
  /** Id of the document. */
  readonly document: string;
  readonly models: readonly (readonly [renderer: RendererClass, knowledge: CostKnowledge])[];
  readonly frames: {
    readonly keys: readonly ContentKey[];
    readonly ms: Float32Array;
    readonly layers: readonly string[];
    /** One row a frame, one value for each layer. */
    readonly byLayer: Float32Array;
    /** How much each counts, and how often it was measured. */
    readonly weights: Float32Array;
    readonly times: Uint8Array;
  };
}

// A measurement is about 300 bytes: some 30 MB at the most.
const REMEMBERED = 100_000;
// Frames that are kept for the next session.
const KEPT_FRAMES = 20_000;
// The middle one of so many counts.
const TIMES = 3;
// A frame that took so many times what others like it did, and more than this beyond it, is not believed at once.
const SLOW = 2.5;
const SLOW_MS: Milliseconds = 5;
// How much a frame counts that was measured once, as a power: others like it say more of what it costs again.
const ONCE = 1 / 3;
// Before so many frames were measured, the model knows no better than a single frame.
const YOUNG = 16;

/** Where a cost comes from; the middle one was measured as a whole, but not layer by layer. */
const ESTIMATED = 0;
export const MEASURED = 1;
const MEASURED_WHOLE = 2;

/** What was measured on this machine: cost models by class of renderer, and frames by key. */
export class CostBook {
  private readonly byKey = new Map<ContentKey, readonly Measured[]>();
  private readonly models = new Map<RendererClass, CostModel>();
  private readonly noted = new Map<RendererClass, number>();
  private document: string | undefined;

  modelOf(renderer: RendererClass): CostModel {
    const known = this.models.get(renderer) ?? new CostModel();
    this.models.set(renderer, known);
    return known;
  }

  /** Frames that were measured on a renderer since the start; more than a few where an earlier session told. */
  framesOn(renderer: RendererClass): number {
    return this.noted.get(renderer) ?? 0;
  }

  /** Layers of another document are others, whatever they are called. */
  open(document: string): void {
    if (this.document === document) return;
    this.document = document;
    for (const model of this.models.values()) model.openSites([]);
  }

  /** Takes in what an earlier session measured; what this one measured stays. */
  recall({ document, models, frames }: CostRecord): void {
    this.document = document;
    for (const [renderer, knowledge] of models) {
      const known = this.models.get(renderer);
      if (known) known.openSites(knowledge.sites);
      else {
        this.models.set(renderer, new CostModel(knowledge));
        this.noted.set(renderer, Math.max(YOUNG, this.framesOn(renderer)));
      }
    }
    const { keys, ms, layers, byLayer, weights, times } = frames;
    for (const [row, key] of keys.entries()) {
      const before = this.byKey.get(key);
      // What the disk told in the meantime is known as a whole only.
      if (before?.some(({ byLayer: own }) => own) || this.byKey.size >= REMEMBERED) continue;
      const values = layers.map((layer, column) => [layer, byLayer[row * layers.length + column]!] as const);
      const own = new Map(values.filter(([, value]) => value > 0));
      const measured: Measured = { ms: ms[row]!, byLayer: own, weight: weights[row]! };
      this.byKey.set(key, new Array<Measured>(times[row]!).fill(measured));
    }
  }

  /** What is worth keeping for the next session. @param keys of frames as they are now */
  record(document: string, keys: Iterable<ContentKey>): CostRecord {
    const found: (Known & { readonly key: ContentKey; readonly own: ReadonlyMap<string, Milliseconds> })[] = [];
    for (const key of keys) {
      const known = this.measured(key);
      if (known?.byLayer) found.push({ ...known, key, own: known.byLayer });
      if (found.length >= KEPT_FRAMES) break;
    }
    const layers = [...new Set(found.flatMap(({ own }) => [...own.keys()]))];
    return {
      document,
      models: [...this.models].map(([renderer, model]) => [renderer, model.knowledge]),
      frames: {
        keys: found.map(({ key }) => key),
        ms: Float32Array.from(found, ({ ms }) => ms),
        layers,
        byLayer: Float32Array.from(found.flatMap(({ own }) => layers.map((layer) => own.get(layer) ?? 0))),
        weights: Float32Array.from(found, ({ weight }) => weight),
        times: Uint8Array.from(found, ({ times }) => times),
      },
    };
  }

  /** Takes in what a frame on disk took to render when it was stored. */
  learn(key: ContentKey, ms: Milliseconds): void {
    if (!this.byKey.has(key) && this.byKey.size < REMEMBERED) this.byKey.set(key, [{ ms, weight: 1 }]);
  }

  /** Takes in what single nodes took. @param share of the time in which the renderer had the processor, above 0 to 1 */
  learnNodes(renderer: RendererClass, costs: readonly CostSample[], share: number): void {
    const model = this.modelOf(renderer);
    for (const cost of costs) model.add({ ...cost, ms: cost.ms * share }, share * share);
  }

  note(key: ContentKey, measured: Measured, renderer: RendererClass): void {
    this.noted.set(renderer, this.framesOn(renderer) + 1);
    if (this.byKey.size >= REMEMBERED) this.byKey.clear();
    const before = this.byKey.get(key) ?? [];
    // What is known layer by layer counts instead of what is known as a whole.
    const alike = measured.byLayer ? before.filter(({ byLayer }) => byLayer) : before;
    this.byKey.set(key, [...alike.slice(1 - TIMES), measured]);
  }

  measured(key: ContentKey): Known | undefined {
    const times = this.byKey.get(key);
    if (!times) return undefined;
    // What was disturbed least, and of that the middle one.
    const weight = Math.max(...times.map((one) => one.weight));
    const best = times.filter((one) => one.weight === weight).sort((a, b) => a.ms - b.ms);
    return { ...best[(best.length - 1) >> 1]!, times: times.length };
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
  /** What was drawn once for all frames, by layer. */
  private readonly once = new Map<string, Map<NodeKind, Milliseconds>>();
  /** Frames that were measured more than once. */
  private readonly isFirm: Uint8Array;
  private rangeMeans: { readonly range: FrameRange; readonly means: readonly Milliseconds[] } | undefined;

  constructor(
    private readonly book: CostBook,
    duration: number,
    layers: readonly Pick<Layer, "id" | "range">[],
    private readonly renderer: RendererClass,
  ) {
    this.costs = new Float32Array(duration);
    this.measured = new Uint8Array(duration);
    this.isFirm = new Uint8Array(duration);
    this.layers = layers.map(({ id, range }) => {
      const first = Math.max(0, Math.min(duration, range.in));
      return { id, first, costs: new Float32Array(Math.max(0, Math.min(duration, range.out) - first)) };
    });
  }

  /** Sets the cost of frames that are alike from what was measured, as far as that is believed, or by estimate. */
  place(
    frames: readonly FrameNumber[],
    key: ContentKey,
    { root }: Pick<FrameGraph, "root">,
    still: ReadonlySet<ContentKey>,
  ): void {
    const known = this.book.measured(key);
    const isYoung = known?.times === 1 && this.book.framesOn(this.renderer) < YOUNG;
    const estimate = this.book.modelOf(this.renderer).estimateFrame(root, still);
    const [origin, ms, byLayer] = weigh(known, estimate, isYoung);
    for (const frame of frames) {
      this.write(frame, ms, byLayer, origin);
      this.isFirm[frame] = Number(known?.weight === 1 && known.times > 1);
    }
  }

  /** Whether a frame's cost is what was measured of it, whatever is learned of others. */
  isSettled(frame: FrameNumber): boolean {
    return this.isFirm[frame] !== 0;
  }

  /**
   * Takes a measurement in; `place` then sets it. What a still branch took when it was rendered for all frames is not
   * charged to the one frame that happened to come first; what a branch that was taken over would have taken is.
   */
  record(
    key: ContentKey,
    { ms: totalMs, costs: samples, renderer, nodesTimed, pixels, share = 1 }: FrameTiming,
    still: ReadonlySet<ContentKey>,
    taken: readonly TakenBranch[] = [],
  ): void {
    const model = this.book.modelOf(renderer);
    // Half the time is double the cost; how much of it was others' is known less well, the more it was.
    const weight = share * share;
    const byLayer = new Map<string, Milliseconds>();
    let ms = totalMs * share;
    const nodesMs = samples.reduce((sum, sample) => sum + sample.ms, 0);
    model.addRest(pixels, Math.max(0, totalMs - nodesMs) * share, weight);
    const ownMs = ownTimes(samples, share, model);
    for (const [index, sample] of samples.entries()) {
      const own = ownMs[index]!;
      model.add({ ...sample, ms: own }, weight);
      if (still.has(sample.key)) {
        ms -= own;
        if (sample.layer !== null) this.noteOnce(sample.layer, sample.kind, own);
        continue;
      }
      if (sample.layer !== null) byLayer.set(sample.layer, (byLayer.get(sample.layer) ?? 0) + own);
    }
    for (const { key: branch, layer, costMs } of taken) {
      if (still.has(branch)) continue;
      ms += costMs;
      byLayer.set(layer, (byLayer.get(layer) ?? 0) + costMs);
    }
    this.book.note(key, nodesTimed ? { ms, byLayer, weight } : { ms, weight }, renderer);
  }

  private noteOnce(layer: string, kind: NodeKind, ms: Milliseconds): void {
    const known = this.once.get(layer) ?? new Map<NodeKind, Milliseconds>();
    this.once.set(layer, known.set(kind, ms));
  }

  /** What a layer costs on each frame of a range. */
  costsOf(layer: string, range: FrameRange): Float32Array {
    const costs = new Float32Array(range.out - range.in);
    const own = this.layers.find(({ id }) => id === layer);
    if (own) costs.set(part(own, range), Math.min(costs.length, Math.max(0, own.first - range.in)));
    // What was never measured counts nothing.
    return costs.map((ms) => ms || 0);
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
      playheadMs: isKnown ? known(costs[playhead - first] ?? 0) : undefined,
      rangeMs: isRangeKnown ? known(means[index]!) : undefined,
      onceMs: this.onceMs(id),
      rangeMeasured,
      measured: this.measured[playhead] === MEASURED,
    }));
  }

  private onceMs(layer: string): Milliseconds | undefined {
    const kinds = this.once.get(layer);
    return kinds && [...kinds.values()].reduce((sum, ms) => sum + ms, 0);
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

// On a busy processor others have turns of some milliseconds: what takes much longer has had its part of them.
const LONG_MS: Milliseconds = 15;

/**
 * What nodes took by themselves. Where others had the processor for part of the time, a short node was either left alone
 * or waited for turns longer than itself: what is expected of it tells more, brought to what all of them took.
 */
function ownTimes(samples: readonly CostSample[], share: number, model: CostModel): readonly Milliseconds[] {
  const own = samples.map(({ ms }) => ms * share);
  const expected = samples.map((sample) => model.expected(sample) ?? NaN);
  const ratio = sum(own) / sum(expected);
  if (share === 1 || !Number.isFinite(ratio)) return own;
  const isLong = ({ ms }: CostSample) => ms >= LONG_MS;
  const shortMs = samples.map((sample, index) => (isLong(sample) ? 0 : expected[index]! * ratio));
  const longMs = sum(own.filter((_, index) => isLong(samples[index]!)));
  const longRatio = (sum(own) - sum(shortMs)) / longMs;
  return samples.map((sample, index) => (isLong(sample) ? own[index]! * longRatio : shortMs[index]!));
}

const sum = (values: readonly number[]) => values.reduce((total, value) => total + value, 0);

/**
 * What was measured, by the layers that show now: after a split or a nesting the same frame is made of others. What was
 * of those that are gone is shared out among those that are new, as they are estimated.
 */
function amongPresent(
  measured: ReadonlyMap<string, Milliseconds>,
  estimated: ReadonlyMap<string, Milliseconds>,
): ReadonlyMap<string, Milliseconds> {
  const gone = [...measured].filter(([id]) => !estimated.has(id));
  const fresh = [...estimated].filter(([id]) => !measured.has(id));
  const freshMs = sum(fresh.map(([, ms]) => ms));
  if (gone.length === 0 || freshMs === 0) return measured;
  const share = sum(gone.map(([, ms]) => ms)) / freshMs;
  return new Map([
    ...[...measured].filter(([id]) => estimated.has(id)),
    ...fresh.map(([id, ms]) => [id, ms * share] as const),
  ]);
}

type Weighed = [origin: number, ms: Milliseconds, byLayer: ReadonlyMap<string, Milliseconds>];

/**
 * What a frame costs, by what was measured of it and by what is expected.
 * @param isYoung whether what is expected follows from too little to be compared with
 */
function weigh(known: Known | undefined, { total, byLayer }: FrameEstimate, isYoung: boolean): Weighed {
  const isSlow = known?.times === 1 && total > 0 && known.ms > SLOW * total + SLOW_MS;
  if (!known || isSlow) return [ESTIMATED, total, byLayer];
  const trust = known.weight * (known.times > 1 || isYoung ? 1 : ONCE);
  const mix = (measured: Milliseconds, expected: Milliseconds | undefined) =>
    expected && measured ? expected * (measured / expected) ** trust : measured;
  const measured = known.byLayer && amongPresent(known.byLayer, byLayer);
  const own = measured && new Map([...measured].map(([id, ms]) => [id, mix(ms, byLayer.get(id))]));
  const origin = known.weight < 1 ? ESTIMATED : own ? MEASURED : MEASURED_WHOLE;
  return [origin, mix(known.ms, total), own ?? byLayer];
}

/** A layer's cost as far as it is known. */
function known(ms: Milliseconds): Milliseconds | undefined {
  return Number.isNaN(ms) ? undefined : ms;
}

/** A layer's costs on the frames of a range in which it can show. */
function part({ first, costs }: LayerCosts, range: FrameRange): Float32Array {
  return costs.subarray(Math.max(0, range.in - first), Math.max(0, range.out - first));
}

function mean(layer: LayerCosts, range: FrameRange): Milliseconds {
  return part(layer, range).reduce((sum, ms) => sum + ms, 0) / Math.max(1, range.out - range.in);
}
