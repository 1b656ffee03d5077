import {
  bakeState,
  EFFECTS,
  MADE_SOURCES,
  newLayer,
  SOURCES,
  type Edit,
  type Layer,
  type MadeSource,
} from "@kinetocache/core";
import { Eye, EyeOff, Flag, Pin } from "lucide-react";
import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import Button from "react-bootstrap/Button";
import Dropdown from "react-bootstrap/Dropdown";
import ToggleButton from "react-bootstrap/ToggleButton";
import ToggleButtonGroup from "react-bootstrap/ToggleButtonGroup";
import { useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { LayerChoices } from "../../engine/protocol/command";
import type { LayerCost } from "../../engine/frameCosts";
import { msText } from "../../parts/format";
import { useRows } from "../../parts/rows";
import { bakeRowText } from "./bakeWords";
import { toggled } from "./layerChoices";
import "./LayerRows.css";

// Must match the height of .layer-row, at the usual size of text.
const ROW_PX = 26;

interface LayerRowsProps {
  readonly selected: string | undefined;
  readonly onSelect: (layer: string) => void;
  readonly onBake: (layer: string) => void;
}

function summary(layer: Layer): string {
  const effects = layer.effects.filter(({ enabled }) => enabled).map(({ kind }) => EFFECTS[kind].label);
  return effects.length > 0 ? effects.join(", ") : SOURCES[layer.source.kind].label;
}

interface LayerRowProps {
  readonly layer: Layer;
  /** Its place in the list, and how many there are; only those in view are drawn. */
  readonly index: number;
  readonly count: number;
  readonly shown: boolean;
  readonly selected: boolean;
  /** Undefined while nothing is known. */
  readonly ms: number | undefined;
  readonly estimated: boolean;
  /** What drawing took that is done once for all frames. */
  readonly onceMs: number | undefined;
  /** Whether what the cost is of is cached, so that it is not rendered now. */
  readonly cached: boolean;
  /** Share of the costliest layer, 0 to 1. */
  readonly share: number;
  readonly solo: boolean;
  readonly marked: boolean;
  readonly pinned: boolean;
  readonly effectsOff: boolean;
  /** Why the file that it shows cannot be read. */
  readonly lost: string | undefined;
  readonly onSelect: (layer: string) => void;
  /** How its bake stands; undefined without one. */
  readonly bake: string | undefined;
  readonly onBake: (layer: string) => void;
  readonly onToggle: (what: keyof LayerChoices, layer: string) => void;
  readonly edit: (edit: Edit) => Promise<void>;
}

const LayerRow = memo(function LayerRow({
  layer,
  index,
  count,
  shown,
  selected,
  ms,
  estimated,
  onceMs,
  cached,
  share,
  solo,
  marked,
  pinned,
  effectsOff,
  lost,
  bake,
  onSelect,
  onBake,
  onToggle,
  edit,
}: LayerRowProps) {
  const once = onceMs ? `and ${msText(onceMs)} once, for what stays the same in every frame` : undefined;
  const shownAs = effectsOff && layer.effects.length > 0 ? "effects off in the preview" : summary(layer);
  const about = lost === undefined ? shownAs : "cannot be read";
  return (
    <li
      className={`layer-row ${selected ? "is-selected" : ""} ${shown ? "" : "is-off"}`}
      aria-posinset={index + 1}
      aria-setsize={count}
    >
      <Button
        variant="link"
        className="icon-button"
        aria-label={`${layer.enabled ? "Switch off" : "Switch on"} ${layer.name}`}
        onClick={() => void edit({ kind: "layerEnabled", layer: layer.id, enabled: !layer.enabled })}
      >
        {layer.enabled ? <Eye size="0.9375rem" aria-hidden="true" /> : <EyeOff size="0.9375rem" aria-hidden="true" />}
      </Button>
      <button
        type="button"
        className="layer-name"
        title={`${layer.name}: ${lost ?? about}`}
        aria-pressed={selected}
        onClick={() => onSelect(layer.id)}
      >
        <strong>{layer.name}</strong>
        <span className={lost === undefined ? undefined : "layer-lost"}>{about}</span>
      </button>
      <span className="layer-toggles">
        <Button
          variant="link"
          size="sm"
          className={`solo ${solo ? "is-on" : ""}`}
          aria-pressed={solo}
          aria-label={`Solo ${layer.name}`}
          onClick={() => onToggle("solo", layer.id)}
        >
          solo
        </Button>
        <Button
          variant="link"
          size="sm"
          className={`solo ${marked ? "is-on" : ""}`}
          aria-pressed={marked}
          aria-label={`Mark ${layer.name} for background rendering`}
          title="Mark for background rendering"
          onClick={() => onToggle("marked", layer.id)}
        >
          <Flag size="0.75rem" aria-hidden="true" />
        </Button>
        <Button
          variant="link"
          size="sm"
          className={`solo ${pinned ? "is-on" : ""}`}
          aria-pressed={pinned}
          aria-label={`Pin ${layer.name} in memory`}
          title={pinned ? "Pinned: its pixels are evicted last. Their size is under Layer" : "Pin in memory"}
          onClick={() => onToggle("pinned", layer.id)}
        >
          <Pin size="0.75rem" aria-hidden="true" />
        </Button>
      </span>
      <span className="layer-bar" aria-hidden="true">
        <span className={estimated ? "is-estimate" : ""} style={{ width: `${100 * share}%` }} />
      </span>
      <span className={`mono layer-ms ${estimated ? "is-estimate" : ""}`} title={once}>
        {ms === undefined ? "–" : msText(ms)}
        {estimated ? <small> est.</small> : null}
        {once ? <span className="visually-hidden">, {once}</span> : null}
      </span>
      <span className="layer-cached">{cached ? "cached" : null}</span>
      <Button
        variant="outline-dark"
        size="sm"
        className={`layer-bake ${bake === undefined ? "" : "is-baked"}`}
        aria-label={bake === undefined ? `Bake ${layer.name}` : `Bake of ${layer.name}: ${bake}`}
        onClick={() => onBake(layer.id)}
      >
        {bake ?? "Bake"}
      </Button>
    </li>
  );
});

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

/** How the bakes of single layers stand, by layer. */
function useBakedLayers(): ReadonlyMap<string, string> {
  const { document, composition, bakes } = useWorkspace();
  const unreadable = useEngine((state) => state.status?.unreadable);
  return useMemo(() => {
    const bad = new Set(unreadable);
    const own = bakes.filter(({ target }) => composition.layers.some(({ id }) => id === target.layer));
    return new Map(own.map((bake) => [bake.target.layer!, bakeRowText(bakeState(document, bake, bad), bake)]));
  }, [document, composition, bakes, unreadable]);
}

/** Each layer's own share of the cost at the playhead, in the order of cost or of stacking. */
export function LayerRows({ selected, onSelect, onBake }: LayerRowsProps) {
  const { document, composition, edit, layers, choose } = useWorkspace();
  const latest = useRef(layers);
  useEffect(() => {
    latest.current = layers;
  });
  const toggle = useCallback(
    (what: keyof LayerChoices, layer: string) => void choose({ [what]: toggled(latest.current[what], layer) }),
    [choose],
  );
  const costs = useEngine((state) => state.status?.layerCosts);
  const isMoving = useEngine(({ status }) => status?.mode === "playing" || status?.mode === "scrubbing");
  const [order, setOrder] = useState<"cost" | "stacking">("cost");
  const [over, setOver] = useState<"playhead" | "range">("playhead");
  const byLayer = useMemo(() => new Map(costs?.map((cost) => [cost.layer, cost])), [costs]);
  // While the playhead moves, rows that are in the order of cost show the range's, so that they do not jump about.
  const shown = isMoving && order === "cost" ? "range" : over;
  const msOf = (cost: LayerCost | undefined) => (shown === "playhead" ? cost?.playheadMs : cost?.rangeMs);
  const rows = [...composition.layers].reverse();
  const rank = (layer: Layer) => msOf(byLayer.get(layer.id)) ?? 0;
  if (order === "cost") rows.sort((a, b) => rank(b) - rank(a));
  const top = Math.max(1, ...rows.map((layer) => msOf(byLayer.get(layer.id)) ?? 0));
  const baked = useBakedLayers();
  const cached = useEngine(({ status, timeline }) => {
    if (!status || !timeline) return false;
    const { range, playhead } = status;
    const held = shown === "range" ? timeline.residency.subarray(range.in, range.out) : [timeline.residency[playhead]];
    return held.every((tiers) => tiers !== 0);
  });
  const missing = useEngine((state) => state.status?.missing);
  const lostOf = ({ source }: Layer): string | undefined => {
    const asset = source.kind === "clip" ? document.assets[source.parameters.asset as string] : undefined;
    return asset?.kind === "clip" && asset.file ? missing?.[asset.file.fingerprint] : undefined;
  };
  const isSolo = composition.layers.some(({ id, enabled }) => enabled && layers.solo.includes(id));

  const scroller = useRef<HTMLDivElement>(null);
  const { rows: list } = useRows({ count: rows.length, scroller, heightPx: ROW_PX, overscan: 10 });
  const inView = list.getVirtualItems();

  return (
    <div className="layers">
      <div className="layers-head">
        <h2>Layers</h2>
        <AddLayer onAdd={onSelect} />
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
        {shown === over ? null : <small className="layers-note">mean of the range while it plays</small>}
      </div>
      <div className="layer-list" ref={scroller}>
        {rows.length === 0 ? (
          <p className="empty layers-empty">{composition.name} has no layers yet: add the first one above.</p>
        ) : null}
        <ul style={{ paddingTop: inView[0]?.start, paddingBottom: list.getTotalSize() - (inView.at(-1)?.end ?? 0) }}>
          {inView.map(({ index }) => {
            const layer = rows[index]!;
            const cost = byLayer.get(layer.id);
            const ms = msOf(cost);
            const measured = shown === "playhead" ? cost?.measured : cost?.rangeMeasured;
            return (
              <LayerRow
                key={layer.id}
                layer={layer}
                index={index}
                count={rows.length}
                shown={layer.enabled && (!isSolo || layers.solo.includes(layer.id))}
                selected={layer.id === selected}
                ms={ms}
                estimated={ms !== undefined && !measured}
                onceMs={cost?.onceMs}
                cached={cached}
                share={(ms ?? 0) / top}
                solo={layers.solo.includes(layer.id)}
                marked={layers.marked.includes(layer.id)}
                pinned={layers.pinned.includes(layer.id)}
                effectsOff={layers.effectsOff.includes(layer.id)}
                lost={lostOf(layer)}
                onSelect={onSelect}
                bake={baked.get(layer.id)}
                onBake={onBake}
                onToggle={toggle}
                edit={edit}
              />
            );
          })}
        </ul>
      </div>
    </div>
  );
}
