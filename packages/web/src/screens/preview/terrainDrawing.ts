import { IN_MEMORY, ON_DISK, timecode, type FrameRange, type Rate } from "@kinetocache/core";
import type { TimelineData } from "../../engine/previewTimeline";
import type { Tokens } from "../../parts/tokens";
import { hatch } from "./canvas";
import { rulerFrames, xOfFrame, type TimelineView } from "./timelineView";

export interface TerrainModel {
  readonly data: TimelineData | undefined;
  readonly view: TimelineView;
  readonly range: FrameRange;
  readonly budgetMs: number;
  readonly rate: Rate;
  /** Where the selected layer's own pixels are held, in a lane of its own. */
  readonly layer: { readonly name: string; readonly residency: Uint8Array } | undefined;
}

const LANE_HEIGHT = 12;
const LANE_GAP = 3;
const LABEL_ROOM = 14;
const RULER_HEIGHT = 15;
const CHART_HEIGHT = 88;
const SCALE_SAMPLES = 2000;

/** Height of all of it: the chart, its lanes, and the ruler. */
export function terrainHeight(hasLayer: boolean): number {
  return CHART_HEIGHT + (hasLayer ? 3 : 2) * (LANE_HEIGHT + LANE_GAP) + RULER_HEIGHT;
}

interface Column {
  readonly x: number;
  readonly width: number;
  readonly first: number;
  readonly last: number;
}

/** One column a frame, or one a pixel where frames are narrower than that. */
function* columns(view: TimelineView, width: number, duration: number): Generator<Column> {
  const pixelsAFrame = width / (view.end - view.start);
  if (pixelsAFrame >= 1) {
    const gap = pixelsAFrame > 3 ? 1 : 0;
    for (let frame = Math.floor(view.start); frame < Math.min(duration, Math.ceil(view.end)); frame++) {
      const x = Math.round(xOfFrame(frame, view, width));
      yield {
        x,
        width: Math.max(1, Math.round(xOfFrame(frame + 1, view, width)) - x - gap),
        first: frame,
        last: frame,
      };
    }
    return;
  }
  const framesAPixel = 1 / pixelsAFrame;
  for (let x = 0; x < width; x++) {
    const first = Math.floor(view.start + x * framesAPixel);
    yield { x, width: 1, first, last: Math.min(duration - 1, Math.floor(view.start + (x + 1) * framesAPixel)) };
  }
}

/**
 * What the chart's height stands for: a quarter more than nearly all costs in view, the budget with room above
 * it at least. A frame that a hiccup of the machine made ten times as dear is cut at the top, so that it does
 * not flatten all the others.
 */
function scaleTop({ data, view, budgetMs }: TerrainModel): number {
  const least = budgetMs * 1.5;
  if (!data) return least;
  const first = Math.floor(view.start);
  const last = Math.min(data.costs.length, Math.ceil(view.end));
  // Of a long composition some columns stand for all: sorting 100,000 takes longer than drawing them.
  const step = Math.max(1, Math.floor((last - first) / SCALE_SAMPLES));
  const sample: number[] = [];
  for (let frame = first; frame < last; frame += step) sample.push(data.costs[frame]!);
  const sorted = Float32Array.from(sample).sort();
  return Math.max(least, 1.25 * (sorted[Math.floor(sorted.length * 0.97)] ?? 0));
}

/** Draws costs, budget, lanes and range; the playhead lies above it. */
export function drawTerrain(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  model: TerrainModel,
  tokens: Tokens,
): void {
  const { data, view, range, budgetMs } = model;
  context.clearRect(0, 0, width, height);
  const chart = CHART_HEIGHT;
  const perMs = (chart - LABEL_ROOM) / scaleTop(model);
  const budgetY = chart - budgetMs * perMs;
  if (data) {
    const scale = { chart, perMs, budgetY, budgetMs };
    drawBars(context, barsOf(view, width, data, scale), scale, tokens);
    const { residency } = data;
    const lane = { residency, view, width };
    const laneTop = (index: number) => chart + LANE_GAP + index * (LANE_GAP + LANE_HEIGHT);
    drawLane(context, laneTop(0), lane, [[IN_MEMORY, tokens.memory]], tokens);
    drawLane(context, laneTop(1), lane, [[ON_DISK, hatch(context, tokens)]], tokens);
    if (model.layer)
      drawLane(
        context,
        laneTop(2),
        { ...lane, residency: model.layer.residency },
        [
          [ON_DISK, hatch(context, tokens)],
          [IN_MEMORY, tokens.memory],
        ],
        tokens,
      );
  }
  context.strokeStyle = tokens.ink;
  context.lineWidth = 1;
  context.setLineDash([4, 4]);
  context.beginPath();
  context.moveTo(0, Math.round(budgetY) + 0.5);
  context.lineTo(width, Math.round(budgetY) + 0.5);
  context.stroke();
  context.setLineDash([]);
  drawOutside(context, width, height - RULER_HEIGHT, view, range, tokens);
  context.font = "11px 'Spline Sans Mono Variable', monospace";
  // Bars end below what is written over them.
  context.fillStyle = tokens.ink;
  context.fillText(`budget ${budgetMs.toFixed(1)} ms, dashed`, 14, 10);
  if (model.layer) {
    const text = `lowest lane: ${model.layer.name}`;
    context.fillText(text, width - context.measureText(text).width - 14, 10);
  }
  drawRuler(context, width, height, model, tokens);
}

/** Frame numbers and timecode along the bottom. */
function drawRuler(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  { view, rate }: TerrainModel,
  tokens: Tokens,
): void {
  context.fillStyle = tokens.ink2;
  for (const frame of rulerFrames(view, width)) {
    const x = Math.round(xOfFrame(frame, view, width));
    context.fillRect(x, height - RULER_HEIGHT + 2, 1, RULER_HEIGHT - 2);
    context.fillText(`${frame}  ${timecode(frame, rate)}`, x + 4, height - 3);
  }
}

interface ChartScale {
  readonly chart: number;
  readonly perMs: number;
  readonly budgetY: number;
  readonly budgetMs: number;
}

/** What a column of the chart shows: the dearest of its frames. */
interface Bar {
  readonly x: number;
  readonly width: number;
  readonly top: number;
  readonly isOver: boolean;
  readonly isMeasured: boolean;
}

function barOf({ x, width, first, last }: Column, data: TimelineData, scale: ChartScale): Bar | undefined {
  let cost = 0;
  let dearest = first;
  for (let frame = first; frame <= last; frame++) {
    if (data.costs[frame]! <= cost) continue;
    cost = data.costs[frame]!;
    dearest = frame;
  }
  if (cost === 0) return undefined;
  const top = Math.max(LABEL_ROOM, Math.round(scale.chart - cost * scale.perMs));
  return { x, width, top, isOver: cost > scale.budgetMs, isMeasured: data.measured[dearest] !== 0 };
}

/** Columns that touch and look the same are one bar: a canvas takes time for each, however narrow. */
function barsOf(view: TimelineView, width: number, data: TimelineData, scale: ChartScale): Bar[] {
  const bars: Bar[] = [];
  for (const column of columns(view, width, data.costs.length)) {
    const bar = barOf(column, data, scale);
    const last = bars.at(-1);
    const goesOn =
      last !== undefined &&
      last.x + last.width === bar?.x &&
      last.top === bar.top &&
      last.isOver === bar.isOver &&
      last.isMeasured === bar.isMeasured;
    if (goesOn) bars[bars.length - 1] = { ...last, width: last.width + bar.width };
    else if (bar) bars.push(bar);
  }
  return bars;
}

/** Draws the bars, those that look alike together: a canvas is slow to change its colour. */
function drawBars(context: CanvasRenderingContext2D, bars: readonly Bar[], scale: ChartScale, tokens: Tokens): void {
  const { chart, budgetY } = scale;
  const over = bars.filter(({ isOver }) => isOver);
  const estimates = bars.filter(({ isMeasured }) => !isMeasured);
  const draw = (of: readonly Bar[], fill: string, alpha: number, edges: (bar: Bar) => readonly [number, number]) => {
    context.fillStyle = fill;
    context.globalAlpha = alpha;
    for (const bar of of) {
      const [from, to] = edges(bar);
      context.fillRect(bar.x, from, bar.width, to - from);
    }
  };
  const below = ({ top }: Bar) => [Math.max(top, budgetY), chart] as const;
  const above = ({ top }: Bar) => [top, budgetY] as const;
  // An estimate is an outline: a line along the top, and a pale body.
  const line = ({ top }: Bar) => [top, top + 1.5] as const;
  draw(
    bars.filter(({ isMeasured }) => isMeasured),
    tokens.cost,
    1,
    below,
  );
  draw(estimates, tokens.cost, 0.28, below);
  draw(
    over.filter(({ isMeasured }) => isMeasured),
    tokens.over,
    1,
    above,
  );
  draw(
    over.filter(({ isMeasured }) => !isMeasured),
    tokens.over,
    0.16,
    above,
  );
  draw(
    estimates.filter(({ isOver }) => isOver),
    tokens.over,
    1,
    line,
  );
  draw(
    estimates.filter(({ isOver }) => !isOver),
    tokens.ink2,
    1,
    line,
  );
  context.globalAlpha = 1;
}

function drawLane(
  context: CanvasRenderingContext2D,
  y: number,
  { residency, view, width }: { readonly residency: Uint8Array; readonly view: TimelineView; readonly width: number },
  tiers: readonly (readonly [tier: number, fill: string | CanvasPattern])[],
  tokens: Tokens,
): void {
  context.fillStyle = tokens.well;
  context.fillRect(0, y, width, LANE_HEIGHT);
  const last = Math.min(residency.length, Math.ceil(view.end));
  for (const [tier, fill] of tiers) {
    context.fillStyle = fill;
    for (let frame = Math.floor(view.start); frame < last;) {
      if (!(residency[frame]! & tier)) {
        frame++;
        continue;
      }
      const first = frame;
      while (frame < last && residency[frame]! & tier) frame++;
      const x = xOfFrame(first, view, width);
      context.fillRect(x, y, Math.max(1, xOfFrame(frame, view, width) - x), LANE_HEIGHT);
    }
  }
}

/** Dims what lies outside the in–out range and marks its ends. */
function drawOutside(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  view: TimelineView,
  range: FrameRange,
  tokens: Tokens,
): void {
  const left = xOfFrame(range.in, view, width);
  const right = xOfFrame(range.out, view, width);
  context.globalAlpha = 0.55;
  context.fillStyle = tokens.sheet;
  if (left > 0) context.fillRect(0, 0, left, height);
  if (right < width) context.fillRect(right, 0, width - right, height);
  context.globalAlpha = 1;
  context.fillStyle = tokens.ink2;
  // An end that is out of view has no mark at the edge: it is not there.
  if (left >= 0 && left < width) {
    context.fillRect(left, 0, 2, height);
    context.fillRect(left, 0, 7, 7);
  }
  if (right > 0 && right <= width) {
    context.fillRect(right - 2, 0, 2, height);
    context.fillRect(right - 7, 0, 7, 7);
  }
}
