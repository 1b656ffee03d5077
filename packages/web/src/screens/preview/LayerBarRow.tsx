import { frameBudgetMs, MOST_FRAMES, type Edit, type FrameRange, type Layer } from "@kinetocache/core";
import { memo, useEffect, useRef, type KeyboardEvent, type PointerEvent } from "react";
import { presentEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { LayerBar, LayerBars } from "../../engine/layerBars";
import { useTextScale } from "../../parts/textScale";
import { useTokens } from "../../parts/tokens";
import { BAR_HEIGHT, drawBar } from "./barDrawing";
import { dragEdit, draggedRange, snapped, type Grip } from "./barDrag";
import { prepare } from "./canvas";
import { useDraft } from "./draft";
import { KeyframeLines } from "./KeyframeLines";
import { useTimelineScale } from "./timelineScale";
import { xOfFrame } from "./timelineView";
import "./LayerBarRow.css";

// Pixels at an end of a bar in which a press takes hold of it, and within which an end stops at what is near.
const GRIP = 6;
const SNAP = 5;

interface LayerBarRowProps {
  readonly layer: Layer;
  /** Its place in the list, and how many there are; only those in view are drawn. */
  readonly index: number;
  readonly count: number;
  readonly shown: boolean;
  readonly selected: boolean;
  /** Selected beside it, to be nested. */
  readonly also: boolean;
  readonly bar: LayerBar | undefined;
  readonly bars: LayerBars | undefined;
  readonly onSelect: (layer: string, extend: boolean) => void;
  readonly edit: (edit: Edit) => Promise<void>;
}

interface Draft {
  readonly grip: Grip;
  readonly range: FrameRange;
}

/** A layer as a bar in time: its ends are dragged, and its middle; keys do the same. */
export const LayerBarRow = memo(function LayerBarRow(props: LayerBarRowProps) {
  const { layer, index, count, shown, selected, also, bar, bars, onSelect, edit } = props;
  const { composition } = useWorkspace();
  const { view, width } = useTimelineScale();
  const { shown: draft, now, set: setDraft, apply: applyDraft } = useDraft<Draft>();
  const pressed = useRef<{ readonly x: number; readonly grip: Grip }>(undefined);
  const range = draft?.range ?? layer.range;
  const perFrame = width / (view.end - view.start);

  const apply = () =>
    applyDraft(({ grip, range: to }) => {
      const change = dragEdit(layer, grip, to);
      if (change) void edit(change);
    });
  const press = (event: PointerEvent<HTMLElement>) => {
    if (event.button !== 0) return;
    const box = event.currentTarget.getBoundingClientRect();
    const fromEnd = Math.min(GRIP, box.width / 4);
    const x = event.clientX - box.left;
    const grip = x <= fromEnd ? "start" : x >= box.width - fromEnd ? "end" : "whole";
    pressed.current = { x: event.clientX, grip };
    event.currentTarget.setPointerCapture(event.pointerId);
  };
  const drag = (event: PointerEvent) => {
    if (!pressed.current) return;
    const { x, grip } = pressed.current;
    const { status, playhead } = presentEngine();
    const ends = status ? [status.range.in, status.range.out] : [];
    const near = event.altKey ? [] : [0, composition.duration, playhead, ...ends];
    const frames = snapped(layer.range, grip, (event.clientX - x) / perFrame, near, SNAP / perFrame);
    if (frames !== 0 || now()) setDraft({ grip, range: draggedRange(layer.range, grip, frames) });
  };
  const release = (event: PointerEvent) => {
    if (!pressed.current) return;
    pressed.current = undefined;
    if (now()) apply();
    else onSelect(layer.id, event.shiftKey);
  };
  const giveUp = () => {
    pressed.current = undefined;
    setDraft(undefined);
  };
  const keyDown = (grip: Grip) => (event: KeyboardEvent) => {
    if (event.key === "Escape") giveUp();
    if (event.key === "Enter" && grip === "whole") onSelect(layer.id, event.shiftKey);
    if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
    event.preventDefault();
    const by = (event.key === "ArrowLeft" ? -1 : 1) * (event.shiftKey ? 10 : 1);
    const before = now();
    setDraft({ grip, range: draggedRange(before?.grip === grip ? before.range : layer.range, grip, by) });
  };
  const keys = (grip: Grip) => ({
    role: "slider",
    onKeyDown: keyDown(grip),
    onKeyUp: (event: KeyboardEvent) => event.key.startsWith("Arrow") && apply(),
    onBlur: apply,
  });

  const left = Math.max(0, xOfFrame(range.in, view, width));
  const right = Math.min(width, xOfFrame(range.out, view, width));
  const isInView = right > left;
  const text = `${range.in} – ${range.out - 1}`;
  const limits = { "aria-valuemin": -MOST_FRAMES, "aria-valuemax": MOST_FRAMES };
  return (
    <li
      className={`bar-row ${selected ? "is-selected" : ""} ${also ? "is-also" : ""} ${shown ? "" : "is-off"}`}
      aria-posinset={index + 1}
      aria-setsize={count}
    >
      <div className="bar-line" style={{ width }}>
        <button
          type="button"
          className="bar-name"
          aria-pressed={selected || also}
          onClick={(event) => onSelect(layer.id, event.shiftKey)}
        >
          {layer.name}
        </button>
        <span className={`bar-frames mono ${draft ? "is-draft" : ""}`}>{text}</span>
        <BarCanvas
          layer={layer}
          range={range}
          slid={draft?.grip === "whole" ? draft.range.in - layer.range.in : 0}
          shown={shown}
          bar={bar}
          bars={bars}
        />
        {isInView ? (
          <div
            className="bar"
            style={{ left, width: Math.max(3, right - left) }}
            tabIndex={0}
            aria-label={`${layer.name} in time`}
            aria-valuenow={range.in}
            aria-valuetext={`frames ${text}`}
            {...limits}
            {...keys("whole")}
            onPointerDown={press}
            onPointerMove={drag}
            onPointerUp={release}
            onPointerCancel={giveUp}
          />
        ) : null}
        {isInView && selected
          ? (["start", "end"] as const).map((grip) => (
              <div
                key={grip}
                className="bar-end"
                style={{ left: grip === "start" ? left : right }}
                tabIndex={0}
                aria-label={`${grip === "start" ? "First" : "Last"} frame of ${layer.name}`}
                aria-valuenow={grip === "start" ? range.in : range.out - 1}
                {...limits}
                {...keys(grip)}
              />
            ))
          : null}
      </div>
      {selected ? <KeyframeLines layer={layer} slid={draft?.grip === "whole" ? range.in - layer.range.in : 0} /> : null}
    </li>
  );
});

interface BarCanvasProps extends Pick<LayerBarRowProps, "layer" | "shown" | "bar" | "bars"> {
  readonly range: FrameRange;
  readonly slid: number;
}

function BarCanvas({ layer, range, slid, shown, bar, bars }: BarCanvasProps) {
  const { composition } = useWorkspace();
  const { view, width } = useTimelineScale();
  const canvas = useRef<HTMLCanvasElement>(null);
  const tokens = useTokens();
  const textScale = useTextScale();
  const budgetMs = frameBudgetMs(composition.rate);
  useEffect(() => {
    if (width === 0) return;
    const usualWidth = Math.floor(width / textScale);
    const context = prepare(canvas.current!, usualWidth, BAR_HEIGHT, textScale);
    drawBar(context, usualWidth, { view, range, slid, budgetMs, shown, bar, scale: bars }, tokens);
  }, [view, width, textScale, tokens, budgetMs, range, slid, shown, bar, bars, layer.id]);
  return <canvas ref={canvas} className="bar-canvas" style={{ width, height: BAR_HEIGHT * textScale }} />;
}
