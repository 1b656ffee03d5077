import { BLEND_MODES, LONGEST_NAME, MOST_FRAMES, type BlendMode, type Layer } from "@kinetocache/core";
import { ArrowDown, ArrowUp, Copy, Trash2 } from "lucide-react";
import { useRef } from "react";
import Form from "react-bootstrap/Form";
import { useWorkspace } from "../../data/workspace";
import { IconButton } from "../../parts/IconButton";
import { NumberField } from "../../parts/NumberField";
import "./LayerHead.css";

/** Its name, applied on Enter or on leaving; an empty one is no name. */
function LayerName({ layer }: { readonly layer: Layer }) {
  const { edit } = useWorkspace();
  const field = useRef<HTMLInputElement>(null);
  const apply = () => {
    const name = field.current!.value.trim();
    field.current!.value = name || layer.name;
    if (name && name !== layer.name) void edit({ kind: "layerRenamed", layer: layer.id, name });
  };
  return (
    <Form.Control
      ref={field}
      key={layer.name}
      className="layer-title"
      aria-label="Name of the layer"
      maxLength={LONGEST_NAME}
      defaultValue={layer.name}
      onBlur={apply}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    />
  );
}

/** What the layer is called, where it stands, when it shows, and how it is put on what is below. */
export function LayerHead({ layer }: { readonly layer: Layer }) {
  const { composition, edit } = useWorkspace();
  const { layers } = composition;
  const at = layers.findIndex(({ id }) => id === layer.id);
  const { range } = layer;
  const setRange = (change: Partial<typeof range>) =>
    void edit({ kind: "layerRange", layer: layer.id, range: { ...range, ...change } });
  return (
    <div className="layer-head">
      <div className="layer-head-line">
        <LayerName layer={layer} />
        <IconButton
          icon={ArrowUp}
          label={`Raise ${layer.name}`}
          title="One layer up in the stack"
          disabled={at === layers.length - 1}
          onClick={() => void edit({ kind: "layerMoved", layer: layer.id, to: at + 1 })}
        />
        <IconButton
          icon={ArrowDown}
          label={`Lower ${layer.name}`}
          title="One layer down in the stack"
          disabled={at === 0}
          onClick={() => void edit({ kind: "layerMoved", layer: layer.id, to: at - 1 })}
        />
        <IconButton
          icon={Copy}
          label={`Duplicate ${layer.name}`}
          title="A copy right above it"
          onClick={() => void edit({ kind: "layerDuplicated", layer: layer.id })}
        />
        <IconButton
          icon={Trash2}
          label={`Remove ${layer.name}`}
          title="Remove it; undo brings it back"
          onClick={() => void edit({ kind: "layerRemoved", layer: layer.id })}
        />
      </div>
      <div className="layer-head-line">
        <span className="form-label">Frames</span>
        <NumberField
          label="First frame of the layer"
          value={range.in}
          min={-MOST_FRAMES}
          max={range.out - 1}
          step={1}
          unit=""
          onChange={(frame) => setRange({ in: Math.round(frame) })}
        />
        <span>to</span>
        <NumberField
          label="Last frame of the layer"
          value={range.out - 1}
          min={range.in}
          max={MOST_FRAMES - 1}
          step={1}
          unit=""
          onChange={(frame) => setRange({ out: Math.round(frame) + 1 })}
        />
      </div>
      <Form.Group className="amount" controlId={`${layer.id}-blend`}>
        <Form.Label>Blend mode</Form.Label>
        <Form.Select
          size="sm"
          value={layer.blend}
          onChange={(event) =>
            void edit({ kind: "layerBlend", layer: layer.id, blend: event.target.value as BlendMode })
          }
        >
          {BLEND_MODES.map((mode) => (
            <option key={mode}>{mode}</option>
          ))}
        </Form.Select>
      </Form.Group>
    </div>
  );
}
