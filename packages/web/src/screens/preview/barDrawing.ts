import { IN_MEMORY, ON_DISK, type FrameRange } from "@kinetocache/core";
import type { LayerBar, LayerBars } from "../../engine/layerBars";
import type { Tokens } from "../../parts/tokens";
import { hatch } from "./canvas";
import { xOfFrame, type TimelineView } from "./timelineView";

/** Height of a bar with the line below it, at the usual size of text. */
export const BAR_HEIGHT = 13;
const BODY_HEIGHT = 10;
const LINE_HEIGHT = 3;
const ESTIMATE_ALPHA = 0.45;

export interface BarModel {
  readonly view: TimelineView;
  readonly range: FrameRange;
  /** How far the range is from where costs were told of, in frames. */
  readonly slid: number;
  readonly budgetMs: number;
  readonly shown: boolean;
  /** What the layer costs in view, where that is known. */
  readonly bar: LayerBar | undefined;
  readonly scale: Pick<LayerBars, "first" | "step" | "topMs" | "measured"> | undefined;
}

/** Draws a layer's bar: what it costs as low columns, and a line below where its pixels are held. */
export function drawBar(context: CanvasRenderingContext2D, width: number, model: BarModel, tokens: Tokens): void {
  const { view, range, shown } = model;
  context.clearRect(0, 0, width, BAR_HEIGHT);
  context.fillStyle = tokens.well;
  context.fillRect(0, 0, width, BODY_HEIGHT);
  const left = Math.max(0, xOfFrame(range.in, view, width));
  const right = Math.min(width, xOfFrame(range.out, view, width));
  if (right <= left) return;
  context.globalAlpha = shown ? 0.22 : 0.1;
  context.fillStyle = tokens.ink;
  context.fillRect(left, 0, Math.max(1, right - left), BODY_HEIGHT);
  context.globalAlpha = 1;
  context.save();
  context.beginPath();
  context.rect(left, 0, right - left, BAR_HEIGHT);
  context.clip();
  if (shown) drawColumns(context, width, model, tokens);
  context.restore();
  // An end that is out of view has no mark.
  context.fillStyle = tokens.ink;
  if (range.in >= view.start) context.fillRect(left, 0, 2, BODY_HEIGHT);
  if (range.out <= view.end) context.fillRect(Math.max(left, right - 2), 0, 2, BODY_HEIGHT);
}

function drawColumns(context: CanvasRenderingContext2D, width: number, model: BarModel, tokens: Tokens): void {
  const { view, slid, bar, scale, budgetMs } = model;
  if (!bar || !scale) return;
  const { first, step, topMs, measured } = scale;
  const perMs = BODY_HEIGHT / Math.max(budgetMs, topMs);
  const { costs, held } = bar;
  const xOf = (column: number) => Math.round(xOfFrame(first + slid + column * step, view, width));
  const budget = budgetMs * perMs;
  // An estimate is paler, as in the terrain.
  const draw = (fill: string, isMeasured: boolean, edges: (height: number) => readonly [from: number, to: number]) => {
    context.fillStyle = fill;
    context.globalAlpha = isMeasured ? 1 : ESTIMATE_ALPHA;
    for (let column = 0; column < costs.length; column++) {
      const [from, to] = edges(costs[column]! * perMs);
      if (to - from < 0.25 || (measured[column] !== 0) !== isMeasured) continue;
      const x = xOf(column);
      context.fillRect(x, BODY_HEIGHT - to, Math.max(1, xOf(column + 1) - x), to - from);
    }
  };
  for (const isMeasured of [false, true]) {
    draw(tokens.ink, isMeasured, (height) => [0, Math.min(height, budget)]);
    draw(tokens.over, isMeasured, (height) => [budget, height]);
  }
  context.globalAlpha = 1;
  for (const [tier, fill] of [
    [ON_DISK, hatch(context, tokens)],
    [IN_MEMORY, tokens.memory],
  ] as const) {
    context.fillStyle = fill;
    for (let column = 0; column < held.length; column++) {
      if (!(held[column]! & tier)) continue;
      const from = column;
      while (column < held.length && held[column]! & tier) column++;
      context.fillRect(xOf(from), BODY_HEIGHT, Math.max(1, xOf(column) - xOf(from)), LINE_HEIGHT);
    }
  }
}
