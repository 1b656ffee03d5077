import { clampFrame, frameBudgetMs, timecode } from "@kinetocache/core";
import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent as ReactPointerEvent } from "react";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { readTokens } from "../../parts/tokens";
import { drawTerrain } from "./terrainDrawing";
import { frameAtX, moveEnd, pan, wholeView, xOfFrame, zoomAround, type TimelineView } from "./timelineView";

const HEIGHT = 118;
// Pixels around a range end in which a press takes hold of it.
const GRIP = 7;
const GRIP_HEIGHT = 14;

type Drag = "scrub" | "in" | "out";

function useWidth(element: React.RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(0);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setWidth(Math.floor(entry!.contentRect.width)));
    observer.observe(element.current!);
    return () => observer.disconnect();
  }, [element]);
  return width;
}

function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D {
  const ratio = window.devicePixelRatio;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const context = canvas.getContext("2d")!;
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  return context;
}

/** The timeline as a chart of cost, with lanes of what is held; drag to scrub, wheel to zoom. */
export function Terrain() {
  const { composition, stored } = useWorkspace();
  const data = useEngine((state) => state.timeline);
  const engineRange = useEngine((state) => state.status?.range);
  const range = useMemo(() => engineRange ?? { in: 0, out: composition.duration }, [engineRange, composition.duration]);
  const playhead = useEngine((state) => state.playhead);
  const root = useRef<HTMLDivElement>(null);
  const base = useRef<HTMLCanvasElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const drag = useRef<Drag>(undefined);
  const width = useWidth(root);
  const [view, setView] = useState<TimelineView>(() => wholeView(composition.duration));
  const [theme, setTheme] = useState(document.documentElement.dataset.theme);

  const { duration } = composition;
  useEffect(() => setView(wholeView(duration)), [duration, stored.id]);
  useEffect(() => {
    const observer = new MutationObserver(() => setTheme(document.documentElement.dataset.theme));
    observer.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
    return () => observer.disconnect();
  }, []);

  const budgetMs = frameBudgetMs(composition.rate);
  const own = data?.costs.length === duration ? data : undefined;
  useEffect(() => {
    if (width === 0) return;
    drawTerrain(
      prepare(base.current!, width, HEIGHT),
      width,
      HEIGHT,
      { data: own, view, range, budgetMs },
      readTokens(root.current!),
    );
  }, [own, view, range, budgetMs, width, theme]);

  useEffect(() => {
    if (width === 0) return;
    const context = prepare(overlay.current!, width, HEIGHT);
    context.clearRect(0, 0, width, HEIGHT);
    const x = Math.round(xOfFrame(playhead + 0.5, view, width));
    context.fillStyle = readTokens(root.current!).ink;
    context.fillRect(x - 1, 0, 2, HEIGHT);
    context.beginPath();
    context.moveTo(x - 6, 0);
    context.lineTo(x + 6, 0);
    context.lineTo(x, 8);
    context.fill();
  }, [playhead, view, width, theme]);

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
  }, [duration]);

  const frameAt = useCallback(
    (clientX: number) => frameAtX(clientX - root.current!.getBoundingClientRect().left, view, width),
    [view, width],
  );

  const move = (event: ReactPointerEvent) => {
    const frame = frameAt(event.clientX);
    if (drag.current === "scrub")
      send({ kind: "seek", frame: clampFrame(Math.floor(frame), { in: 0, out: duration }), scrubbing: true });
    else if (drag.current) send({ kind: "range", range: moveEnd(range, drag.current, Math.round(frame), duration) });
  };

  const press = (event: ReactPointerEvent) => {
    const box = root.current!.getBoundingClientRect();
    const x = event.clientX - box.left;
    const atTop = event.clientY - box.top < GRIP_HEIGHT;
    const near = (frame: number) => atTop && Math.abs(xOfFrame(frame, view, width) - x) <= GRIP;
    drag.current = near(range.in) ? "in" : near(range.out) ? "out" : "scrub";
    root.current!.setPointerCapture(event.pointerId);
    move(event);
  };

  return (
    <div
      ref={root}
      className="terrain"
      style={{ height: HEIGHT }}
      role="slider"
      tabIndex={0}
      data-timeline
      aria-label="Playhead"
      aria-valuemin={0}
      aria-valuemax={duration - 1}
      aria-valuenow={playhead}
      aria-valuetext={`${timecode(playhead, composition.rate)}, frame ${playhead}`}
      onPointerDown={press}
      onPointerMove={(event) => drag.current && move(event)}
      onPointerUp={() => {
        drag.current = undefined;
      }}
      onDoubleClick={() => setView(wholeView(duration))}
    >
      <canvas ref={base} />
      <canvas ref={overlay} />
    </div>
  );
}
