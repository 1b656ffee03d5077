import {
  EFFECTS,
  type EffectInstance,
  type Layer,
  type Parameter,
  type Parameters,
  type ParameterValue,
} from "@kinetocache/core";
import { useState } from "react";
import Form from "react-bootstrap/Form";
import { useWorkspace } from "../../data/workspace";
import { Amount, type AmountProps } from "../../parts/Amount";

interface ParameterProps {
  readonly id: string;
  readonly spec: Parameter;
  readonly value: ParameterValue;
  readonly onChange: (value: ParameterValue) => void;
}

/** A value that is dragged or typed, applied when the drag ends. */
function Slider(props: AmountProps) {
  const { label, value, min, max, step, onChange } = props;
  const [dragged, setDragged] = useState<number>();
  const apply = () => {
    if (dragged !== undefined && dragged !== value) onChange(dragged);
    setDragged(undefined);
  };
  return (
    <div className="slider-row">
      <Amount {...props} value={dragged ?? value} />
      <Form.Range
        aria-label={`${label}, slider`}
        min={min}
        max={max}
        step={step}
        value={dragged ?? value}
        onChange={(event) => setDragged(Number(event.target.value))}
        onPointerUp={apply}
        onKeyUp={apply}
        onBlur={apply}
      />
    </div>
  );
}

function ParameterControl({ id, spec, value, onChange }: ParameterProps) {
  if (spec.type === "choice") {
    return (
      <Form.Group className="amount" controlId={id}>
        <Form.Label>{spec.label}</Form.Label>
        <Form.Select size="sm" value={value as string} onChange={(event) => onChange(event.target.value)}>
          {spec.options.map((option) => (
            <option key={option}>{option}</option>
          ))}
        </Form.Select>
      </Form.Group>
    );
  }
  if (spec.type !== "number") return null;
  if (typeof value !== "number") {
    const keyframes = (value as { keyframes: readonly unknown[] }).keyframes.length;
    return (
      <div className="amount">
        <span className="form-label">{spec.label}</span>
        <span className="animated">animated, {keyframes} keyframes</span>
      </div>
    );
  }
  return (
    <Slider
      id={id}
      label={spec.label}
      unit={spec.unit}
      value={value}
      min={spec.min}
      max={spec.max}
      step={spec.step}
      onChange={onChange}
    />
  );
}

function EffectControls({ layer, effect }: { readonly layer: Layer; readonly effect: EffectInstance }) {
  const { edit } = useWorkspace();
  const kind = EFFECTS[effect.kind];
  return (
    <section className="effect">
      <Form.Check
        type="switch"
        id={`effect-${effect.id}`}
        label={kind.label}
        checked={effect.enabled}
        onChange={(event) =>
          void edit({ kind: "effectEnabled", layer: layer.id, effect: effect.id, enabled: event.target.checked })
        }
      />
      {Object.entries(kind.parameters as Parameters).map(([name, spec]) => (
        <ParameterControl
          key={name}
          id={`${layer.id}-${effect.id}-${name}`}
          spec={spec}
          value={effect.parameters[name]!}
          onChange={(value) => void edit({ kind: "effectParameter", layer: layer.id, effect: effect.id, name, value })}
        />
      ))}
    </section>
  );
}

/** Effects of the selected layer. */
export function LayerPanel({ layer }: { readonly layer: Layer | undefined }) {
  const { edit } = useWorkspace();
  if (!layer) return <p className="panel-body empty">Choose a layer in the list to change its effects.</p>;
  return (
    <div className="panel-body">
      <h3>{layer.name}</h3>
      {typeof layer.opacity === "number" ? (
        <Slider
          id={`${layer.id}-opacity`}
          label="Opacity"
          unit="%"
          value={Math.round(layer.opacity * 100)}
          min={0}
          max={100}
          step={1}
          onChange={(value) => void edit({ kind: "layerOpacity", layer: layer.id, opacity: value / 100 })}
        />
      ) : null}
      {layer.effects.length === 0 ? <p className="empty">This layer has no effects.</p> : null}
      {layer.effects.map((effect) => (
        <EffectControls key={effect.id} layer={layer} effect={effect} />
      ))}
    </div>
  );
}
