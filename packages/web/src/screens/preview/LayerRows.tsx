import { EFFECTS, SOURCES, type Edit, type Layer } from "@kinetocache/core";
import { Eye, EyeOff } from "lucide-react";
import { memo, useMemo, useState } from "react";
import Button from "react-bootstrap/Button";
import ToggleButton from "react-bootstrap/ToggleButton";
import ToggleButtonGroup from "react-bootstrap/ToggleButtonGroup";
import { useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { LayerCost } from "../../engine/protocol";
import { msText } from "../../parts/format";

interface LayerRowsProps {
  readonly selected: string | undefined;
  readonly onSelect: (layer: string) => void;
}

function summary(layer: Layer): string {
  const effects = layer.effects.filter(({ enabled }) => enabled).map(({ kind }) => EFFECTS[kind].label);
  return effects.length > 0 ? effects.join(", ") : SOURCES[layer.source.kind].label;
}

interface LayerRowProps {
  readonly layer: Layer;
  readonly shown: boolean;
  readonly selected: boolean;
  /** Undefined while nothing is known. */
  readonly ms: number | undefined;
  readonly estimated: boolean;
  /** Share of the costliest layer, 0 to 1. */
  readonly share: number;
  readonly onSelect: (layer: string) => void;
  readonly edit: (edit: Edit) => Promise<void>;
}

const LayerRow = memo(function LayerRow({
  layer,
  shown,
  selected,
  ms,
  estimated,
  share,
  onSelect,
  edit,
}: LayerRowProps) {
  return (
    <li className={`layer-row ${selected ? "is-selected" : ""} ${shown ? "" : "is-off"}`}>
      <Button
        variant="link"
        className="icon-button"
        aria-label={`${layer.enabled ? "Switch off" : "Switch on"} ${layer.name}`}
        onClick={() => void edit({ kind: "layerEnabled", layer: layer.id, enabled: !layer.enabled })}
      >
        {layer.enabled ? <Eye size={15} aria-hidden="true" /> : <EyeOff size={15} aria-hidden="true" />}
      </Button>
      <button type="button" className="layer-name" aria-pressed={selected} onClick={() => onSelect(layer.id)}>
        <strong>{layer.name}</strong>
        <span>{summary(layer)}</span>
      </button>
      <Button
        variant="link"
        size="sm"
        className={`solo ${layer.solo ? "is-on" : ""}`}
        aria-pressed={layer.solo}
        aria-label={`Solo ${layer.name}`}
        onClick={() => void edit({ kind: "layerSolo", layer: layer.id, solo: !layer.solo })}
      >
        solo
      </Button>
      <span className="layer-bar" aria-hidden="true">
        <span className={estimated ? "is-estimate" : ""} style={{ width: `${100 * share}%` }} />
      </span>
      <span className={`mono layer-ms ${estimated ? "is-estimate" : ""}`}>
        {ms === undefined ? "–" : msText(ms)}
        {estimated ? <small> est.</small> : null}
      </span>
    </li>
  );
});

/** Each layer's own share of the cost at the playhead, in the order of cost or of stacking. */
export function LayerRows({ selected, onSelect }: LayerRowsProps) {
  const { composition, edit } = useWorkspace();
  const costs = useEngine((state) => state.status?.layerCosts);
  const [order, setOrder] = useState<"cost" | "stacking">("cost");
  const [over, setOver] = useState<"playhead" | "range">("playhead");
  const byLayer = useMemo(() => new Map(costs?.map((cost) => [cost.layer, cost])), [costs]);
  const msOf = (cost: LayerCost | undefined) => (over === "playhead" ? cost?.playheadMs : cost?.rangeMs);
  const rows = [...composition.layers].reverse();
  // The order follows the range, so that rows do not jump about while playing.
  if (order === "cost") rows.sort((a, b) => (byLayer.get(b.id)?.rangeMs ?? 0) - (byLayer.get(a.id)?.rangeMs ?? 0));
  const top = Math.max(1, ...rows.map((layer) => msOf(byLayer.get(layer.id)) ?? 0));
  const soloed = composition.layers.some((layer) => layer.solo);

  return (
    <div className="layers">
      <div className="layers-head">
        <h2>Layers</h2>
        <ToggleButtonGroup type="radio" name="layer-order" size="sm" value={order} onChange={setOrder}>
          <ToggleButton id="order-cost" value="cost" variant="outline-dark">
            By cost
          </ToggleButton>
          <ToggleButton id="order-stacking" value="stacking" variant="outline-dark">
            By stacking
          </ToggleButton>
        </ToggleButtonGroup>
        <ToggleButtonGroup type="radio" name="layer-over" size="sm" value={over} onChange={setOver}>
          <ToggleButton id="over-playhead" value="playhead" variant="outline-dark">
            At the playhead
          </ToggleButton>
          <ToggleButton id="over-range" value="range" variant="outline-dark">
            Mean of the range
          </ToggleButton>
        </ToggleButtonGroup>
      </div>
      <ul className="layer-list">
        {rows.map((layer) => {
          const cost = byLayer.get(layer.id);
          const ms = msOf(cost);
          const measured = over === "playhead" ? cost?.measured : cost?.rangeMeasured;
          return (
            <LayerRow
              key={layer.id}
              layer={layer}
              shown={layer.enabled && (!soloed || layer.solo)}
              selected={layer.id === selected}
              ms={ms}
              estimated={ms !== undefined && !measured}
              share={(ms ?? 0) / top}
              onSelect={onSelect}
              edit={edit}
            />
          );
        })}
      </ul>
    </div>
  );
}
