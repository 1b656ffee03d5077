import {
  EFFECTS,
  frameBytes,
  newEffect,
  OWN_NUMBERING,
  SOURCES,
  type EffectInstance,
  type EffectKind,
  type Layer,
  type MotionBlur,
  type Parameter,
  type Parameters,
  type ParameterValue,
  type Transform,
} from "@kinetocache/core";
import { ArrowDown, ArrowUp, Trash2 } from "lucide-react";
import { useState } from "react";
import Form from "react-bootstrap/Form";
import { useEngine } from "../../data/engineStore";
import { useSequences } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { Amount, type AmountProps } from "../../parts/Amount";
import { bytesText } from "../../parts/format";
import { IconButton } from "../../parts/IconButton";
import { LayerHead } from "./LayerHead";
import { toggled } from "./layerChoices";
import { SequenceExport } from "./SequenceExport";
import { useSavings } from "./savings";
import { pinText, savedText } from "./savingWords";
import "./LayerPanel.css";

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
  if (spec.type === "colour") {
    return (
      <Form.Group className="amount" controlId={id}>
        <Form.Label>{spec.label}</Form.Label>
        <ColourField id={id} value={value as string} onChange={onChange} />
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

/** A colour that is applied when the choice is made. */
function ColourField({ id, value, onChange }: Pick<ParameterProps, "id" | "onChange"> & { readonly value: string }) {
  const [picked, setPicked] = useState<string>();
  const apply = () => {
    if (picked !== undefined && picked !== value) onChange(picked);
    setPicked(undefined);
  };
  return (
    <Form.Control
      type="color"
      size="sm"
      id={id}
      value={picked ?? value}
      onChange={(event) => setPicked(event.target.value)}
      onBlur={apply}
      onKeyUp={(event) => event.key === "Enter" && apply()}
    />
  );
}

/** What the layer's source looks like, where that can be changed here. */
function SourceControls({ layer }: { readonly layer: Layer }) {
  const { edit } = useWorkspace();
  const { kind, parameters } = layer.source;
  const specs = Object.entries(SOURCES[kind].parameters as Parameters).filter(([, spec]) => spec.type !== "reference");
  if (specs.length === 0) return null;
  return (
    <details className="effect">
      <summary>{SOURCES[kind].label}</summary>
      {specs.map(([name, spec]) => (
        <ParameterControl
          key={name}
          id={`${layer.id}-source-${name}`}
          spec={spec}
          value={parameters[name]!}
          onChange={(value) => void edit({ kind: "sourceParameter", layer: layer.id, name, value })}
        />
      ))}
    </details>
  );
}

/** The pictures of a sequence that was brought in, which go out again under the numbers they had. */
function SequenceFiles({ layer }: { readonly layer: Layer }) {
  const { document } = useWorkspace();
  const { data: sequences } = useSequences();
  const asset = document.assets[String(layer.source.parameters.asset)];
  if (asset?.kind !== "sequence" || !sequences) return null;
  const stored = sequences.find(({ id }) => id === asset.sequence);
  if (!stored) return <p className="control-note">Its pictures are not there, or their drive is not attached.</p>;
  const { first } = stored.numbering ?? OWN_NUMBERING;
  return (
    <div className="sheet-row">
      <span className="control-note">
        Pictures {first} to {first + stored.frames - 1}, {bytesText(stored.bytes)}
      </span>
      <SequenceExport sequence={stored.id} title={`Export, numbered from ${first}`} />
    </div>
  );
}

// How far out of the picture a layer can be put by hand, in sizes of it.
const OUTSIDE = 2;

/** Where a layer is put, and how large; what is animated is left alone. */
function TransformControls({ layer }: { readonly layer: Layer }) {
  const { edit, composition } = useWorkspace();
  const { x, y, scale } = layer.transform;
  if (typeof x !== "number" || typeof y !== "number" || typeof scale !== "number") return null;
  const change = (what: Partial<Transform>) => void edit({ kind: "layerTransform", layer: layer.id, change: what });
  const { width, height } = composition;
  const place = { unit: "px", step: 1 };
  return (
    <details>
      <summary>Position and scale</summary>
      <Slider
        {...place}
        id={`${layer.id}-x`}
        label="Position X"
        value={Math.round(x)}
        min={-OUTSIDE * width}
        max={OUTSIDE * width}
        onChange={(to) => change({ x: to })}
      />
      <Slider
        {...place}
        id={`${layer.id}-y`}
        label="Position Y"
        value={Math.round(y)}
        min={-OUTSIDE * height}
        max={OUTSIDE * height}
        onChange={(to) => change({ y: to })}
      />
      <Slider
        id={`${layer.id}-scale`}
        label="Scale"
        unit="%"
        value={Math.round(1000 * scale) / 10}
        min={1}
        max={1000}
        step={0.1}
        onChange={(to) => change({ scale: to / 100 })}
      />
    </details>
  );
}

function MotionBlurControls({ layer }: { readonly layer: Layer }) {
  const { edit } = useWorkspace();
  const { motionBlur } = layer;
  const change = (what: Partial<MotionBlur>) =>
    void edit({ kind: "layerMotionBlur", layer: layer.id, motionBlur: { ...motionBlur, ...what } });
  return (
    <section className="effect">
      <Form.Check
        type="switch"
        id={`${layer.id}-motion-blur`}
        label="Motion blur"
        checked={motionBlur.enabled}
        onChange={(event) => change({ enabled: event.target.checked })}
      />
      {motionBlur.enabled ? (
        <>
          <Slider
            id={`${layer.id}-shutter`}
            label="Shutter"
            unit="°"
            value={motionBlur.shutter}
            min={1}
            max={720}
            step={1}
            onChange={(shutter) => change({ shutter })}
          />
          <Slider
            id={`${layer.id}-samples`}
            label="Samples"
            unit=""
            value={motionBlur.samples}
            min={2}
            max={64}
            step={1}
            onChange={(samples) => change({ samples })}
          />
          <p className="control-note">
            The layer is drawn up to {motionBlur.samples} times a frame where it moves, over{" "}
            {(motionBlur.shutter / 360).toFixed(2)} of a frame.
          </p>
        </>
      ) : null}
    </section>
  );
}

/** What leaving the layer's effects out, or all other layers, would give. */
function PreviewChoices({ layer }: { readonly layer: Layer }) {
  const { layers, choose, composition, settings, document } = useWorkspace();
  const savings = useSavings();
  const found = savings?.layers.find((one) => one.layer === layer.id);
  const off = layers.effectsOff.includes(layer.id);
  const solo = layers.solo.includes(layer.id);
  const pinned = layers.pinned.includes(layer.id);
  const kept = useEngine(({ status }) => status?.layersKept.find((one) => one.layer === layer.id));
  const wholeBytes = frameBytes(composition, settings.fraction, document.depth);
  return (
    <section className="preview-choices">
      <Form.Check
        type="switch"
        id={`${layer.id}-solo`}
        label="Solo in the preview"
        checked={solo}
        onChange={() => void choose({ solo: toggled(layers.solo, layer.id) })}
      />
      <p className="control-note">{savedText(savings?.presentMs, found?.soloMs)}</p>
      {layer.effects.length > 0 ? (
        <>
          <Form.Check
            type="switch"
            id={`${layer.id}-effects-off`}
            label="Effects off in the preview"
            checked={off}
            onChange={() => void choose({ effectsOff: toggled(layers.effectsOff, layer.id) })}
          />
          <p className="control-note">{off ? "in force" : savedText(savings?.presentMs, found?.effectsOffMs)}</p>
        </>
      ) : null}
      <Form.Check
        type="switch"
        id={`${layer.id}-pinned`}
        label="Pin in memory"
        checked={pinned}
        onChange={() => void choose({ pinned: toggled(layers.pinned, layer.id) })}
      />
      <p className="control-note">{pinText(pinned, kept, wholeBytes)}</p>
    </section>
  );
}

/** Puts another effect after those that are there. */
function AddEffect({ layer }: { readonly layer: Layer }) {
  const { edit } = useWorkspace();
  return (
    <Form.Select
      size="sm"
      aria-label="Add an effect"
      value=""
      onChange={(event) =>
        void edit({
          kind: "effectAdded",
          layer: layer.id,
          effect: newEffect(event.target.value as EffectKind, layer),
        })
      }
    >
      <option value="">Add an effect…</option>
      {Object.entries(EFFECTS).map(([kind, { label }]) => (
        <option key={kind} value={kind}>
          {label}
        </option>
      ))}
    </Form.Select>
  );
}

function EffectControls({ layer, effect }: { readonly layer: Layer; readonly effect: EffectInstance }) {
  const { edit } = useWorkspace();
  const kind = EFFECTS[effect.kind];
  const at = layer.effects.indexOf(effect);
  const move = (to: number) => void edit({ kind: "effectMoved", layer: layer.id, effect: effect.id, to });
  return (
    <section className="effect">
      <div className="effect-head">
        <Form.Check
          type="switch"
          id={`effect-${effect.id}`}
          label={kind.label}
          checked={effect.enabled}
          onChange={(event) =>
            void edit({ kind: "effectEnabled", layer: layer.id, effect: effect.id, enabled: event.target.checked })
          }
        />
        <IconButton
          icon={ArrowUp}
          variant="link"
          label={`Apply ${kind.label} sooner`}
          title="Apply it before the effect above"
          disabled={at === 0}
          onClick={() => move(at - 1)}
        />
        <IconButton
          icon={ArrowDown}
          variant="link"
          label={`Apply ${kind.label} later`}
          title="Apply it after the effect below"
          disabled={at === layer.effects.length - 1}
          onClick={() => move(at + 1)}
        />
        <IconButton
          icon={Trash2}
          variant="link"
          label={`Remove ${kind.label}`}
          title="Remove it; undo brings it back"
          onClick={() => void edit({ kind: "effectRemoved", layer: layer.id, effect: effect.id })}
        />
      </div>
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
      <LayerHead key={`${layer.id} head`} layer={layer} />
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
      <TransformControls key={`${layer.id} place`} layer={layer} />
      <PreviewChoices layer={layer} />
      <SourceControls key={layer.id} layer={layer} />
      {layer.source.kind === "sequence" ? <SequenceFiles layer={layer} /> : null}
      <MotionBlurControls layer={layer} />
      {layer.effects.length === 0 ? <p className="empty">This layer has no effects.</p> : null}
      {layer.effects.map((effect) => (
        <EffectControls key={effect.id} layer={layer} effect={effect} />
      ))}
      <AddEffect layer={layer} />
    </div>
  );
}
