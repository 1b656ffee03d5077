import type { FrameNumber, FrameRange, Milliseconds } from "@kinetocache/core";
import type { Desks } from "./desks";
import { MEASURED } from "./frameCosts";

/** What the rows of layers in time show: which layers, over which frames, and how many columns there is room for. */
export interface BarsWish {
  readonly layers: readonly string[];
  readonly range: FrameRange;
  readonly columns: number;
}

/** One layer over the frames that are in view: a value for each column. */
export interface LayerBar {
  readonly layer: string;
  /** Milliseconds: the dearest of the column's frames. */
  readonly costs: Float32Array;
  /** Bits of where any of the column's frames has its pixels held. */
  readonly held: Uint8Array;
}

/** What layers cost over the frames in view, and where their pixels are held. */
export interface LayerBars {
  /** Frame of the first column. */
  readonly first: FrameNumber;
  /** Frames of a column. */
  readonly step: number;
  /** What is the highest cost of any layer in view. */
  readonly topMs: Milliseconds;
  /** By column, 0 where the cost of any of its frames is an estimate. */
  readonly measured: Uint8Array;
  readonly bars: readonly LayerBar[];
}

// Where pixels are held is followed of layers in view up to this length; of longer compositions it is told of those
// layers alone that are selected, marked or pinned.
const MOST_FOLLOWED: FrameNumber = 5000;

/** Layers whose lanes are needed for their bars. */
export function barLayers({ layers }: BarsWish, duration: FrameNumber): readonly string[] {
  return duration <= MOST_FOLLOWED ? layers : [];
}

/** The highest value of each stretch of so many. */
function peaks(values: Float32Array, step: number): Float32Array {
  const columns = new Float32Array(Math.ceil(values.length / step));
  for (let index = 0; index < values.length; index++) {
    const column = Math.floor(index / step);
    if (values[index]! > columns[column]!) columns[column] = values[index]!;
  }
  return columns;
}

function anyOf(bits: Uint8Array, step: number): Uint8Array {
  const columns = new Uint8Array(Math.ceil(bits.length / step));
  for (let index = 0; index < bits.length; index++) columns[Math.floor(index / step)]! |= bits[index]!;
  return columns;
}

function allOf(values: Uint8Array, step: number, wanted: number): Uint8Array {
  const columns = new Uint8Array(Math.ceil(values.length / step)).fill(1);
  for (let index = 0; index < values.length; index++)
    if (values[index] !== wanted) columns[Math.floor(index / step)] = 0;
  return columns;
}

/** What is wanted for the rows in view; undefined where nothing is. */
export function layerBarsOf({ choices, stage }: Desks): LayerBars | undefined {
  const { bars: wish } = choices;
  const { timeline, lanes } = stage;
  if (!timeline || wish.layers.length === 0) return undefined;
  const range = { in: Math.max(0, wish.range.in), out: Math.min(timeline.duration, wish.range.out) };
  const length = range.out - range.in;
  if (length <= 0) return undefined;
  const step = Math.max(1, Math.ceil(length / wish.columns));
  const bars = wish.layers.map((layer): LayerBar => {
    const held = lanes?.residency(layer)?.subarray(range.in, range.out) ?? new Uint8Array(length);
    return { layer, costs: peaks(timeline.costs.costsOf(layer, range), step), held: anyOf(held, step) };
  });
  const topMs = bars.reduce((top, { costs }) => costs.reduce((most, ms) => Math.max(most, ms), top), 0);
  const measured = allOf(timeline.costs.measured.subarray(range.in, range.out), step, MEASURED);
  return { first: range.in, step, topMs, measured, bars };
}
