import {
  EFFECTS,
  frameBytes,
  newEffect,
  OWN_NUMBERING,
  propertiesOf,
  propertyId,
  SOURCES,
  type EffectInstance,
  type EffectKind,
  type Layer,
  type MotionBlur,
  type Parameter,
  type Parameters,
  type ParameterValue,
  type Property,
} from "@kinetocache/core";
import { ArrowDown, ArrowUp, Trash2 } from "lucide-react";
import { useMemo, useState } from "react";
import Form from "react-bootstrap/Form";
import { useEngine } from "../../data/engineStore";
import { useSequences } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { bytesText } from "../../parts/format";
import { IconButton } from "../../parts/IconButton";
import { LayerHead } from "./LayerHead";
import { toggled } from "./layerChoices";
import { PropertyControl } from "./PropertyControl";
import { SequenceExport } from "./SequenceExport";
import { Slider } from "./Slider";
import { useSavings } from "./savings";
import { pinText, savedText } from "./savingWords";
import "./LayerPanel.css";

interface ParameterProps {
  readonly id: string;
  readonly spec: Parameter;
  readonly value: ParameterValue;
  readonly onChange: (value: ParameterValue) => void;
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
  return null;
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

interface LayerNumbers {
  readonly layer: Layer;
  readonly properties: readonly Property[];
}

/** What the layer's source looks like, where that can be changed here. */
function SourceControls({ layer, properties }: LayerNumbers) {
  const { edit } = useWorkspace();
  const { kind, parameters } = layer.source;
  const specs = Object.entries(SOURCES[kind].parameters as Parameters).filter(([, spec]) => spec.type !== "reference");
  if (specs.length === 0) return null;
  return (
    <details className="effect">
      <summary>{SOURCES[kind].label}</summary>
      {specs.map(([name, spec]) => {
        const property = properties.find(({ place }) => place.of === "source" && place.name === name);
        return property ? (
          <PropertyControl key={name} layer={layer} property={property} />
        ) : (
          <ParameterControl
            key={name}
            id={`${layer.id}-source-${name}`}
            spec={spec}
            value={parameters[name]!}
            onChange={(value) => void edit({ kind: "sourceParameter", layer: layer.id, name, value })}
          />
        );
      })}
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

/** Where a layer is put, how large, and how it is turned. */
function TransformControls({ layer, properties }: LayerNumbers) {
  return (
    <details>
      <summary>Position, scale and rotation</summary>
      {properties.map((property) => (
        <PropertyControl key={propertyId(property.place)} layer={layer} property={property} />
      ))}
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

function EffectControls({ layer, effect, properties }: LayerNumbers & { readonly effect: EffectInstance }) {
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
      {Object.entries(kind.parameters as Parameters).map(([name, spec]) => {
        const property = properties.find(
          ({ place }) => place.of === "effect" && place.effect === effect.id && place.name === name,
        );
        return property ? (
          <PropertyControl key={name} layer={layer} property={property} label={spec.label} />
        ) : (
          <ParameterControl
            key={name}
            id={`${layer.id}-${effect.id}-${name}`}
            spec={spec}
            value={effect.parameters[name]!}
            onChange={(value) =>
              void edit({ kind: "effectParameter", layer: layer.id, effect: effect.id, name, value })
            }
          />
        );
      })}
    </section>
  );
}

/** Effects of the selected layer. */
export function LayerPanel({ layer }: { readonly layer: Layer | undefined }) {
  const properties = useMemo(() => (layer ? propertiesOf(layer) : []), [layer]);
  if (!layer) return <p className="panel-body empty">Choose a layer in the list to change its effects.</p>;
  const opacity = properties.find(({ place }) => place.of === "opacity")!;
  return (
    <div className="panel-body">
      <LayerHead key={`${layer.id} head`} layer={layer} />
      <PropertyControl layer={layer} property={opacity} />
      <TransformControls
        key={`${layer.id} place`}
        layer={layer}
        properties={properties.filter(({ place }) => place.of === "transform")}
      />
      <PreviewChoices layer={layer} />
      <SourceControls key={layer.id} layer={layer} properties={properties} />
      {layer.source.kind === "sequence" ? <SequenceFiles layer={layer} /> : null}
      <MotionBlurControls layer={layer} />
      {layer.effects.length === 0 ? <p className="empty">This layer has no effects.</p> : null}
      {layer.effects.map((effect) => (
        <EffectControls key={effect.id} layer={layer} effect={effect} properties={properties} />
      ))}
      <AddEffect layer={layer} />
    </div>
  );
}
