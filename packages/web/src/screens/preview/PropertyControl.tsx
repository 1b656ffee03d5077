import {
  EASES,
  keyAfter,
  keyBefore,
  keyframeAt,
  propertyEdit,
  propertyId,
  valueAt,
  withEase,
  withKeyframe,
  withoutKeyframe,
  type Animated,
  type Composition,
  type Ease,
  type Layer,
  type Property,
} from "@kinetocache/core";
import { ChevronLeft, ChevronRight, Minus, Plus, Spline } from "lucide-react";
import Form from "react-bootstrap/Form";
import { presentEngine, send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { IconButton } from "../../parts/IconButton";
import { Slider } from "./Slider";
import "./PropertyControl.css";

interface PropertyControlProps {
  readonly layer: Layer;
  readonly property: Property;
  /** Where what it belongs to is said already. */
  readonly label?: string;
}

/** A number of a layer: as it is, or, where it is animated, as it is at the playhead, with its keyframes. */
export function PropertyControl({ layer, property, label = property.label }: PropertyControlProps) {
  const { edit } = useWorkspace();
  const { value, place } = property;
  const change = (next: Animated) => void edit(propertyEdit(layer.id, place, next));
  const shared = { layer, property, label, change };
  return typeof value === "number" ? <StillNumber {...shared} value={value} /> : <AnimatedNumber {...shared} />;
}

interface NumberProps {
  readonly layer: Layer;
  readonly property: Property;
  readonly label: string;
  readonly change: (value: Animated) => void;
}

function PropertySlider({
  layer,
  property,
  label,
  value,
  onChange,
}: Omit<NumberProps, "change"> & {
  readonly value: number;
  readonly onChange: (value: number) => void;
}) {
  const { composition } = useWorkspace();
  const { unit, step, per, place } = property;
  const shown = roundedTo(value * per, step);
  const [min, max] = reachOf(property, composition);
  return (
    <Slider
      id={`${layer.id}-${propertyId(place)}`}
      label={label}
      unit={unit}
      value={shown}
      min={Math.min(min, shown)}
      max={Math.max(max, shown)}
      step={step}
      onChange={(to) => onChange(to / per)}
    />
  );
}

function StillNumber({ value, change, ...rest }: NumberProps & { readonly value: number }) {
  return (
    <div className="property">
      <PropertySlider {...rest} value={value} onChange={change} />
      <IconButton
        icon={Spline}
        variant="link"
        label={`Animate ${rest.label}`}
        title="Set a keyframe at the playhead; from then on it changes in time"
        onClick={() => change(withKeyframe(value, presentEngine().playhead, value))}
      />
    </div>
  );
}

const EASE_NAMES: Readonly<Record<Ease, string>> = { linear: "even", smooth: "eased", hold: "stays" };

/** While it plays, the value goes along some times a second, no faster than it can be read. */
function usePlayheadShown(): number {
  return useEngine(({ status, playhead }) => (status?.mode === "playing" ? status.playhead : playhead));
}

function AnimatedNumber({ property, label, change, ...rest }: NumberProps) {
  const playhead = usePlayheadShown();
  const { value } = property;
  const here = keyframeAt(value, playhead);
  const [before, after] = [keyBefore(value, playhead), keyAfter(value, playhead)];
  // The way that the value travels at the playhead.
  const from = here ?? before;
  const seek = (frame: number) => send({ kind: "seek", frame, scrubbing: false });
  const count = typeof value === "number" ? 0 : value.keyframes.length;
  return (
    <div className="property is-animated">
      <PropertySlider
        {...rest}
        property={property}
        label={label}
        value={valueAt(value, playhead)}
        onChange={(to) => change(withKeyframe(value, playhead, to))}
      />
      <div className="keyframe-tools">
        <IconButton
          icon={ChevronLeft}
          variant="link"
          label={`Previous keyframe of ${label}`}
          title="Playhead to the keyframe before"
          disabled={!before || before.frame < 0}
          onClick={() => seek(before!.frame)}
        />
        {here ? (
          <IconButton
            icon={Minus}
            variant="link"
            label={`Remove the keyframe of ${label}`}
            title={
              count === 1 ? "Without its last keyframe it stays as it is here" : "Remove the keyframe at the playhead"
            }
            onClick={() => change(withoutKeyframe(value, playhead))}
          />
        ) : (
          <IconButton
            icon={Plus}
            variant="link"
            label={`Set a keyframe of ${label}`}
            title="Set a keyframe at the playhead, with the value it has there"
            onClick={() => change(withKeyframe(value, playhead, valueAt(value, playhead)))}
          />
        )}
        <IconButton
          icon={ChevronRight}
          variant="link"
          label={`Next keyframe of ${label}`}
          title="Playhead to the keyframe after"
          disabled={!after}
          onClick={() => seek(after!.frame)}
        />
        <Form.Select
          size="sm"
          aria-label={`From a keyframe of ${label} to the next`}
          value={from?.ease ?? ""}
          disabled={!from || !after}
          onChange={(event) => change(withEase(value, from!.frame, event.target.value as Ease))}
        >
          {from ? null : <option value="">–</option>}
          {EASES.map((ease) => (
            <option key={ease} value={ease}>
              {EASE_NAMES[ease]}
            </option>
          ))}
        </Form.Select>
        <small>{count === 1 ? "1 keyframe" : `${count} keyframes`}</small>
      </div>
    </div>
  );
}

function roundedTo(value: number, step: number): number {
  const decimals = Math.min(6, Math.max(0, Math.ceil(-Math.log10(step))) + 1);
  return Number(value.toFixed(decimals));
}

// How far a slider goes where the number itself may go further: sizes of the picture, and so on.
const OUTSIDE = 2;
const MOST_SCALE = 1000;
const TURNS = 360;

function reachOf({ place, min, max }: Property, { width, height }: Composition): readonly [min: number, max: number] {
  if (place.of !== "transform") return [min, max];
  switch (place.name) {
    case "x":
    case "anchorX":
      return [-OUTSIDE * width, OUTSIDE * width];
    case "y":
    case "anchorY":
      return [-OUTSIDE * height, OUTSIDE * height];
    case "scale":
      return [min, MOST_SCALE];
    case "rotation":
      return [-TURNS, TURNS];
  }
}
