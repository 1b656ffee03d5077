import {
  keyAfter,
  keyBefore,
  MOST_FRAMES,
  propertiesOf,
  propertyEdit,
  propertyId,
  valueAt,
  withKeyframeMoved,
  withoutKeyframe,
  type Animated,
  type Keyframe,
  type Layer,
  type Property,
} from "@kinetocache/core";
import { useMemo, useRef, type KeyboardEvent, type PointerEvent } from "react";
import { send } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { useTextScale } from "../../parts/textScale";
import { useDraft } from "./draft";
import { useTimelineScale } from "./timelineScale";
import { firstGap, xOfFrame } from "./timelineView";

// Ticks that are made at most; of more, none can be told from the next.
const MOST_TICKS = 300;
// About what a letter of a name takes, and what is left free around a name.
const LETTER_PX = 6;
const AROUND_PX = 10;
const CURVE_STEP_PX = 3;
const CURVE_HEIGHT = 16;

/** The animated numbers of a layer, each a line below its bar: the value along the timeline, and its keyframes. */
export function KeyframeLines({ layer, slid }: { readonly layer: Layer; readonly slid: number }) {
  const animated = useMemo(() => propertiesOf(layer).filter(({ value }) => typeof value !== "number"), [layer]);
  return animated.map((property) => (
    <KeyframeLine key={propertyId(property.place)} layer={layer} property={property} slid={slid} />
  ));
}

/** How many lines a layer has. */
export function keyframeLines(layer: Layer): number {
  return propertiesOf(layer).filter(({ value }) => typeof value !== "number").length;
}

interface KeyframeLineProps {
  readonly layer: Layer;
  readonly property: Property;
  /** How far the layer is dragged, in frames. */
  readonly slid: number;
}

/** A keyframe, by its number among those in order, and the frame that it goes to. */
interface Moved {
  readonly index: number;
  readonly to: number;
}

/** A value with a keyframe at another frame, between its neighbours, which it does not pass. */
function withMoved(value: Animated, { index, to }: Moved): Animated {
  const key = typeof value === "number" ? undefined : value.keyframes[index];
  if (!key) return value;
  const [least, most] = [
    keyBefore(value, key.frame)?.frame ?? -Infinity,
    keyAfter(value, key.frame)?.frame ?? Infinity,
  ];
  return withKeyframeMoved(value, key.frame, Math.max(-MOST_FRAMES, least + 1, Math.min(MOST_FRAMES, most - 1, to)));
}

function KeyframeLine({ layer, property, slid }: KeyframeLineProps) {
  const { edit } = useWorkspace();
  const { view, width } = useTimelineScale();
  const textScale = useTextScale();
  const { shown: moved, now, set: setMoved, apply: applyMoved } = useDraft<Moved>();
  const pressed = useRef<{ readonly x: number; readonly index: number; readonly frame: number }>(undefined);
  const { label, unit, per, place } = property;
  const value = moved ? withMoved(property.value, moved) : property.value;
  const perFrame = width / (view.end - view.start);
  const change = (next: Animated) => edit(propertyEdit(layer.id, place, next));

  const apply = () =>
    applyMoved((draft) => {
      const next = withMoved(property.value, draft);
      if (next !== property.value) void change(next);
    });
  const keyDown = (event: KeyboardEvent, index: number, frame: number) => {
    if (event.key === "Escape") setMoved(undefined);
    if (event.key === "Enter") send({ kind: "seek", frame, scrubbing: false });
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      event.stopPropagation();
      void change(withoutKeyframe(property.value, frame));
    }
    if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
    event.preventDefault();
    const by = (event.key === "ArrowLeft" ? -1 : 1) * (event.shiftKey ? 10 : 1);
    const before = now();
    setMoved({ index, to: (before?.index === index ? before.to : frame) + by });
  };
  const drag = (event: PointerEvent) => {
    if (!pressed.current) return;
    const { x, index, frame } = pressed.current;
    const by = Math.round((event.clientX - x) / perFrame);
    if (by !== 0 || now()) setMoved({ index, to: frame + by });
  };

  const keyframes = typeof value === "number" ? [] : value.keyframes;
  const inView = [...keyframes.entries()].filter(
    ([, { frame }]) => frame + slid >= view.start - 1 && frame + slid <= view.end,
  );
  const xOf = ({ frame }: Keyframe) => xOfFrame(frame + slid + 0.5, view, width);
  const ticks = inView.length > MOST_TICKS ? [] : inView;
  const marks = ticks.map(([, key]) => xOf(key));
  const nameRoom = (label.length * LETTER_PX + AROUND_PX) * textScale;
  const curve = curveOf(value, view.start - slid, view.end - slid, width);
  const textOf = ({ frame, value: own }: Keyframe) =>
    `${Math.round(own * per * 100) / 100}${unit && ` ${unit}`} at frame ${frame}`;
  return (
    <div className="key-line" style={{ width }}>
      <span className="key-name" style={{ left: firstGap(marks, nameRoom, width) }}>
        {label}
      </span>
      <svg
        className="key-curve"
        width={width}
        height="100%"
        viewBox={`0 0 ${width} ${CURVE_HEIGHT + 4}`}
        preserveAspectRatio="none"
        aria-hidden="true"
      >
        <path d={curve} vectorEffect="non-scaling-stroke" />
      </svg>
      {ticks.map(([index, key]) => (
        <div
          // It is the same one wherever it is moved, and keeps the focus.
          key={index}
          className={`key ${key.ease === "hold" ? "is-hold" : ""}`}
          style={{ left: xOf(key) }}
          role="slider"
          tabIndex={0}
          aria-label={`Keyframe of ${label}`}
          aria-valuenow={key.frame}
          aria-valuetext={textOf(key)}
          title={textOf(key)}
          onKeyDown={(event) => keyDown(event, index, key.frame)}
          onKeyUp={(event) => event.key.startsWith("Arrow") && apply()}
          onBlur={apply}
          onPointerDown={(event) => {
            pressed.current = { x: event.clientX, index, frame: key.frame };
            event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onPointerMove={drag}
          onPointerUp={() => {
            if (pressed.current && !now()) send({ kind: "seek", frame: key.frame, scrubbing: false });
            pressed.current = undefined;
            apply();
          }}
          onPointerCancel={() => {
            pressed.current = undefined;
            setMoved(undefined);
          }}
        />
      ))}
    </div>
  );
}

/** The value along the frames in view, as high as its own extent. */
function curveOf(value: Animated, start: number, end: number, width: number): string {
  if (typeof value === "number") return "";
  const values = value.keyframes.map((key) => key.value);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const points: string[] = [];
  for (let x = 0; x <= width; x += CURVE_STEP_PX) {
    const at = valueAt(value, start + ((end - start) * x) / width - 0.5);
    const share = high > low ? (at - low) / (high - low) : 0.5;
    points.push(`${x},${(2 + CURVE_HEIGHT * (1 - share)).toFixed(1)}`);
  }
  return `M${points.join(" ")}`;
}
