import type { Milliseconds } from "../composition";
import { pixelCount } from "../drawing";
import { inOrder, type ContentKey, type GraphNode, type NodeKind } from "../graph";
import { workUnits } from "./work";

/** One measured evaluation of a node. */
export interface CostSample {
  readonly key: ContentKey;
  readonly kind: NodeKind;
  readonly layer: string | null;
  /** Pixels times work factor. */
  readonly units: number;
  readonly ms: Milliseconds;
}

/** What a node took. */
export function costSample(node: GraphNode, ms: Milliseconds): CostSample {
  return { key: node.key, kind: node.kind, layer: node.layer, units: workUnits(node), ms };
}

/** What was measured of about the same amount of work: mean units, median time, and how much it weighs. */
export type CostPoint = readonly [units: number, ms: Milliseconds, weight: number];

/** What a model knows, as plain data that can be kept. */
export interface CostKnowledge {
  readonly kinds: readonly (readonly [kind: NodeKind, points: readonly CostPoint[]])[];
  /** What frames take beside their nodes, by pixels: the picture is brought to its depth and handed over. */
  readonly rest: readonly CostPoint[];
  /** By layer and kind, of one composition. */
  readonly sites: readonly (readonly [site: string, points: readonly CostPoint[]])[];
}

export const NO_KNOWLEDGE: CostKnowledge = { kinds: [], rest: [], sites: [] };

interface Measurement {
  readonly units: number;
  readonly ms: Milliseconds;
  readonly weight: number;
}

// Measurements, at full weight, that a median goes by; what weighs little is held longer, up to so many.
const FULL = 48;
const MOST = 160;
// Amounts of work that differ by less than the fourth root of 2 are told apart by nothing that matters.
const STEPS_AN_OCTAVE = 4;
// After so many measurements of other amounts, an amount counts half.
const HALF_LIFE = 400;

/** The last measurements of about the same amount of work. */
class Measurements {
  private readonly held: Measurement[] = [];
  private total = 0;
  private middle: CostPoint | undefined;
  /** When the last one came, in measurements of its kind. */
  lastAt = 0;

  add(measurement: Measurement): void {
    const { held } = this;
    held.push(measurement);
    this.total += measurement.weight;
    while (held.length > MOST || this.total - held[0]!.weight >= FULL) this.total -= held.shift()!.weight;
    this.middle = undefined;
  }

  /** The weighted median of the times; where it falls between two, their mean. */
  get point(): CostPoint {
    return (this.middle ??= medianPoint(this.held, this.total));
  }
}

function medianPoint(held: readonly Measurement[], total: number): CostPoint {
  const units = held.reduce((sum, one) => sum + one.units * one.weight, 0) / total;
  return [units, weightedMedian(held.map(({ ms, weight }) => [ms, weight])), total];
}

/** The value with half of the weight on either side; where that falls between two, their mean. Of one value at least. */
function weightedMedian(values: (readonly [value: number, weight: number])[]): number {
  const half = values.reduce((sum, [, weight]) => sum + weight, 0) / 2;
  const sorted = values.sort(([a], [b]) => a - b);
  let before = 0;
  for (const [index, [value, weight]] of sorted.entries()) {
    before += weight;
    if (Math.abs(before - half) < 1e-9 * half && index + 1 < sorted.length) return (value + sorted[index + 1]![0]) / 2;
    if (before > half) return value;
  }
  return sorted.at(-1)![0];
}

/** A line a + b · units, fitted to the medians of what was measured. Neither is ever negative. */
interface Line {
  readonly a: Milliseconds;
  readonly b: number;
}

/** What was measured of one thing, by amount of work. */
class Costs {
  private readonly amounts = new Map<number, Measurements>();
  private added = 0;
  private fitted: Line | undefined;
  private found: readonly CostPoint[] | undefined;

  constructor(points: readonly CostPoint[] = []) {
    for (const [units, ms, weight] of points) this.add({ units, ms, weight: Math.min(FULL, weight) });
  }

  add(measurement: Measurement): void {
    const amount = Math.round(Math.log2(Math.max(1, measurement.units)) * STEPS_AN_OCTAVE);
    const known = this.amounts.get(amount) ?? new Measurements();
    this.amounts.set(amount, known);
    known.add(measurement);
    known.lastAt = ++this.added;
    this.fitted = undefined;
    this.found = undefined;
  }

  get points(): readonly CostPoint[] {
    return (this.found ??= [...this.amounts.values()].map(({ point: [units, ms, weight], lastAt }) => [
      units,
      ms,
      weight * 0.5 ** ((this.added - lastAt) / HALF_LIFE),
    ]));
  }

  get isEmpty(): boolean {
    return this.amounts.size === 0;
  }

  get line(): Line {
    return (this.fitted ??= robustFit(this.points));
  }

  /** What the line says. */
  at(units: number): Milliseconds {
    return this.line.a + this.line.b * units;
  }

  /**
   * How it compares with what a line says, about an amount of work: the median over all amounts, of which those that are
   * farther off weigh less.
   */
  ratioTo(line: Line, units: number): number {
    const ratios = this.points.map(([at, ms, weight]): [number, number] => {
      const octaves = Math.abs(Math.log2(Math.max(1, units) / Math.max(1, at)));
      return [ms / Math.max(LEAST_MS, line.a + line.b * at), weight * FAR ** octaves];
    });
    return weightedMedian(ratios);
  }
}

// What an amount of work weighs for one that is twice as much.
const FAR = 1 / 4;
const LEAST_MS: Milliseconds = 1e-6;
// What lies this far off a line, either way, is left out when the line is drawn again.
const OFF = 2.5;

/** A line through most of the points. */
function robustFit(points: readonly CostPoint[]): Line {
  const first = fit(points);
  const ratioOf = ([units, ms]: CostPoint) => ms / Math.max(LEAST_MS, first.a + first.b * units);
  const middle = weightedMedian(points.map((point) => [ratioOf(point), point[2]]));
  const near = points.filter((point) => ratioOf(point) <= OFF * middle && ratioOf(point) * OFF >= middle);
  return near.length > 0 && near.length < points.length ? fit(near) : first;
}

/** Weighted least squares. */
function fit(points: readonly CostPoint[]): Line {
  let [n, x, y, xx, xy] = [0, 0, 0, 0, 0];
  for (const [units, ms, weight] of points) {
    n += weight;
    x += weight * units;
    y += weight * ms;
    xx += weight * units * units;
    xy += weight * units * ms;
  }
  if (x === 0) return { a: y / n, b: 0 };
  const spread = n * xx - x * x;
  // All of one size leave the slope open: take the line through the origin then.
  const slope = spread > 1e-9 * n * xx ? (n * xy - x * y) / spread : y / x;
  const offset = (y - slope * x) / n;
  if (slope < 0) return { a: y / n, b: 0 };
  if (offset < 0) return { a: 0, b: xy / xx };
  return { a: offset, b: slope };
}

/** Estimated cost of a frame. */
export interface FrameEstimate {
  /** Without kinds that were never measured. */
  readonly total: Milliseconds;
  /** NaN for a layer with a node of a kind that was never measured. */
  readonly byLayer: ReadonlyMap<string, Milliseconds>;
}

function siteOf({ layer, kind }: Pick<CostSample, "layer" | "kind">): string {
  return `${layer ?? ""}\n${kind}`;
}

/**
 * What nodes cost again on this machine: the median of what was measured of like work, so that no single measurement
 * decides. A node of a layer that was measured costs what that layer's nodes of its kind did, brought to its amount of
 * work by the line a + b · units of the kind; others cost what the line says. Lines are fitted by weighted least squares
 * to the medians.
 */
export class CostModel {
  private readonly kinds: Map<NodeKind, Costs>;
  private readonly sites: Map<string, Costs>;
  private readonly rest: Costs;

  constructor({ kinds, rest, sites }: CostKnowledge = NO_KNOWLEDGE) {
    this.rest = new Costs(rest);
    this.kinds = new Map(kinds.map(([kind, points]) => [kind, new Costs(points)]));
    this.sites = new Map(sites.map(([site, points]) => [site, new Costs(points)]));
  }

  /** @param weight how much it counts, above 0 to 1: less where others took the processor meanwhile */
  add(sample: CostSample, weight = 1): void {
    const measurement = { units: sample.units, ms: sample.ms, weight };
    addTo(this.kinds, sample.kind, measurement);
    addTo(this.sites, siteOf(sample), measurement);
  }

  /** What a frame took beside its nodes. @param pixels of the frame @param weight as for `add` */
  addRest(pixels: number, ms: Milliseconds, weight = 1): void {
    this.rest.add({ units: pixels, ms, weight });
  }

  /** Whether anything of a kind was measured. */
  knows(kind: NodeKind): boolean {
    return this.kinds.has(kind);
  }

  get knowledge(): CostKnowledge {
    const points = ([name, costs]: readonly [string, Costs]) => [name, costs.points] as const;
    return {
      kinds: [...this.kinds].map(points) as unknown as CostKnowledge["kinds"],
      rest: this.rest.points,
      sites: [...this.sites].map(points),
    };
  }

  /** Layers of another composition: what is known of kinds stays. */
  openSites(sites: CostKnowledge["sites"]): void {
    this.sites.clear();
    for (const [site, points] of sites) this.sites.set(site, new Costs(points));
  }

  /** What a node of a kind took on average, and of how much work. @returns undefined while none was measured */
  mean(kind: NodeKind): { readonly units: number; readonly ms: Milliseconds } | undefined {
    const points = this.kinds.get(kind)?.points;
    if (!points) return undefined;
    const total = points.reduce((sum, [, , weight]) => sum + weight, 0);
    const meanOf = (value: (point: CostPoint) => number) =>
      points.reduce((sum, point) => sum + value(point) * point[2], 0) / total;
    return { units: meanOf(([units]) => units), ms: meanOf(([, ms]) => ms) };
  }

  /** @returns undefined while nothing of the kind was measured */
  coefficients(kind: NodeKind): { readonly a: Milliseconds; readonly b: number } | undefined {
    return this.kinds.get(kind)?.line;
  }

  /** Estimated cost of a node by itself. */
  estimate(node: GraphNode): Milliseconds | undefined {
    return this.expected({ layer: node.layer, kind: node.kind, units: workUnits(node) });
  }

  /** What a node that was measured is expected to cost. @returns undefined while nothing of its kind was measured */
  expected({ layer, kind, units }: Pick<CostSample, "layer" | "kind" | "units">): Milliseconds | undefined {
    const line = this.coefficients(kind);
    if (!line) return undefined;
    const site = this.sites.get(siteOf({ layer, kind }));
    return (line.a + line.b * units) * (site?.ratioTo(line, units) ?? 1);
  }

  /** Estimated cost of a frame, in all and by layer, without the nodes in `still`, which are held. */
  estimateFrame(root: GraphNode, still: ReadonlySet<ContentKey>): FrameEstimate {
    let total = this.rest.isEmpty ? 0 : this.rest.at(pixelCount(root.window));
    const byLayer = new Map<string, Milliseconds>();
    for (const node of inOrder(root)) {
      if (still.has(node.key)) continue;
      const ms = this.estimate(node);
      total += ms ?? 0;
      if (node.layer !== null) byLayer.set(node.layer, (byLayer.get(node.layer) ?? 0) + (ms ?? NaN));
    }
    return { total, byLayer };
  }
}

function addTo<Name>(all: Map<Name, Costs>, name: Name, measurement: Measurement): void {
  const known = all.get(name) ?? new Costs();
  all.set(name, known);
  known.add(measurement);
}
