import { MADE_SOURCES, newLayer, SOURCES, type MadeSource } from "@kinetocache/core";
import { useState } from "react";
import Dropdown from "react-bootstrap/Dropdown";
import ToggleButton from "react-bootstrap/ToggleButton";
import ToggleButtonGroup from "react-bootstrap/ToggleButtonGroup";
import { useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { LayerBarList } from "./LayerBarList";
import { LayerCosts, type CostsOver } from "./LayerCosts";
import type { LayerListProps } from "./layerList";
import { TimeTools } from "./TimeTools";
import "./LayerRows.css";

/** Puts a new layer on top; it is selected then. */
function AddLayer({ onAdd }: { readonly onAdd: (layer: string) => void }) {
  const { composition, edit } = useWorkspace();
  const add = async (kind: MadeSource) => {
    const layer = newLayer(kind, composition);
    await edit({ kind: "layerAdded", layer, assets: {} });
    onAdd(layer.id);
  };
  return (
    <Dropdown className="composition-menu">
      <Dropdown.Toggle size="sm" variant="outline-dark" id="add-layer" aria-label="Add a layer">
        Add<span className="wide-only"> a layer</span>
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {MADE_SOURCES.map((kind) => (
          <Dropdown.Item as="button" type="button" key={kind} onClick={() => void add(kind)}>
            {SOURCES[kind].label}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

const ORDERS = [
  ["cost", "By cost"],
  ["stacking", "By stacking"],
  ["time", "In time"],
] as const;
const OVERS = [
  ["playhead", "At the playhead", "Here"],
  ["range", "Mean of the range", "Mean"],
] as const;

interface LayerRowsProps extends LayerListProps {
  readonly onBake: (layer: string) => void;
}

/** The layers: what each costs, or where each lies in time. */
export function LayerRows({ selected, also, onSelect, onBake }: LayerRowsProps) {
  const isMoving = useEngine(({ status }) => status?.mode === "playing" || status?.mode === "scrubbing");
  const [order, setOrder] = useState<(typeof ORDERS)[number][0]>("cost");
  const [over, setOver] = useState<CostsOver>("playhead");
  // While the playhead moves, rows that are in the order of cost show the range's, so that they do not jump about.
  const shown = isMoving && order === "cost" ? "range" : over;
  return (
    <div className="layers">
      <div className="layers-head">
        <h2>Layers</h2>
        <AddLayer onAdd={(layer) => onSelect(layer, false)} />
        {order === "time" ? <TimeTools selected={selected} also={also} /> : null}
        <ToggleButtonGroup type="radio" name="layer-order" size="sm" value={order} onChange={setOrder}>
          {ORDERS.map(([value, title]) => (
            <ToggleButton key={value} id={`order-${value}`} value={value} variant="outline-dark">
              {title}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        {order === "time" ? null : (
          <ToggleButtonGroup type="radio" name="layer-over" size="sm" value={over} onChange={setOver}>
            {OVERS.map(([value, title, short]) => (
              <ToggleButton key={value} id={`over-${value}`} value={value} variant="outline-dark" title={title}>
                <span className="wide-only">{title}</span>
                <span className="narrow-only">{short}</span>
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
        )}
        {shown === over || order === "time" ? null : (
          <small className="layers-note">mean of the range while it plays</small>
        )}
      </div>
      {order === "time" ? (
        <LayerBarList selected={selected} also={also} onSelect={onSelect} />
      ) : (
        <LayerCosts selected={selected} also={also} onSelect={onSelect} onBake={onBake} order={order} over={shown} />
      )}
    </div>
  );
}
