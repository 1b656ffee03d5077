import { clampFrame, frameBudgetMs, timecode } from "@kinetocache/core";
import { useEffect, useRef, type HTMLAttributes, type PointerEvent as ReactPointerEvent } from "react";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { useTextScale } from "../../parts/textScale";
import { useTokens } from "../../parts/tokens";
import { drawTerrain, terrainHeight } from "./terrainDrawing";
import { prepare } from "./canvas";
import { useTimelineScale } from "./timelineScale";
import { frameAtX, moveEnd, pan, wholeView, xOfFrame, zoomAround, type TimelineView } from "./timelineView";
import "./Terrain.css";

// Pixels around a range end in which a press takes hold of it.
const GRIP = 7;
const GRIP_HEIGHT = 14;

type Drag = "scrub" | "in" | "out";

interface PlayheadProps extends HTMLAttributes<HTMLDivElement> {
  readonly view: TimelineView;
  readonly width: number;
}

/** The marker over the chart. It alone follows every frame: nothing but its place changes then. */
function Playhead({ view, width, ...handlers }: PlayheadProps) {
  const { composition } = useWorkspace();
  const playhead = useEngine((state) => state.playhead);
  const x = Math.round(xOfFrame(playhead + 0.5, view, width));
  return (
    <div
      className="playhead"
      role="slider"
      tabIndex={0}
      data-timeline
      aria-label="Playhead"
      aria-valuemin={0}
      aria-valuemax={composition.duration - 1}
      aria-valuenow={playhead}
      aria-valuetext={`${timecode(playhead, composition.rate)}, frame ${playhead}`}
      {...handlers}
    >
      <span className="playhead-mark" style={{ transform: `translateX(${x}px)` }} />
    </div>
  );
}

/** The timeline as a chart of cost, with lanes of what is held; drag to scrub, wheel to zoom. */
export function Terrain() {
  const { composition } = useWorkspace();
  const { duration, rate, layers } = composition;
  const timeline = useEngine((state) => state.timeline);
  const engineRange = useEngine((state) => state.status?.range);
  const { view, width, setView, root } = useTimelineScale();
  const canvas = useRef<HTMLCanvasElement>(null);
  const drag = useRef<Drag>(undefined);
  const tokens = useTokens();
  const scale = useTextScale();
  const range = engineRange ?? { in: 0, out: duration };

  const budgetMs = frameBudgetMs(rate);
  const data = timeline?.costs.length === duration ? timeline : undefined;
  const name = layers.find(({ id }) => id === data?.layer?.id)?.name;
  const height = terrainHeight(name !== undefined);
  useEffect(() => {
    if (width === 0) return;
    const usualWidth = Math.floor(width / scale);
    const context = prepare(canvas.current!, usualWidth, height, scale);
    const shown = data?.layer;
    const layer = shown && name !== undefined ? { name, residency: shown.residency } : undefined;
    const model = { data, view, range: { in: range.in, out: range.out }, budgetMs, rate, layer };
    drawTerrain(context, usualWidth, height, model, tokens);
  }, [data, view, range.in, range.out, budgetMs, width, height, scale, tokens, rate, name]);

  useEffect(() => {
    const element = root.current!;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const amount = event.deltaY || event.deltaX;
      setView((before) => {
        if (event.shiftKey) return pan(before, (amount / 400) * (before.end - before.start), duration);
        const frame = frameAtX(event.offsetX, before, element.clientWidth);
        return zoomAround(before, frame, Math.exp(amount / 400), duration);
      });
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [duration, root, setView]);

  const move = (event: ReactPointerEvent) => {
    const frame = frameAtX(event.clientX - root.current!.getBoundingClientRect().left, view, width);
    if (drag.current === "scrub")
      send({ kind: "seek", frame: clampFrame(Math.floor(frame), { in: 0, out: duration }), scrubbing: true });
    else if (drag.current) send({ kind: "range", range: moveEnd(range, drag.current, Math.round(frame), duration) });
  };

  const press = (event: ReactPointerEvent) => {
    const box = root.current!.getBoundingClientRect();
    const x = event.clientX - box.left;
    const atTop = event.clientY - box.top < GRIP_HEIGHT * scale;
    const near = (frame: number) => atTop && Math.abs(xOfFrame(frame, view, width) - x) <= GRIP * scale;
    drag.current = near(range.in) ? "in" : near(range.out) ? "out" : "scrub";
    event.currentTarget.setPointerCapture(event.pointerId);
    move(event);
  };

  return (
    <div ref={root} className="terrain" style={{ height: height * scale }}>
      <canvas ref={canvas} />
      <Playhead
        view={view}
        width={width}
        onPointerDown={press}
        onPointerMove={(event) => drag.current && move(event)}
        onPointerUp={() => {
          drag.current = undefined;
        }}
        onDoubleClick={() => setView(() => wholeView(duration))}
      />
    </div>
  );
}
