import { EFFECTS, isLayerByLayer, SOURCES, type Edit, type Layer } from "@kinetocache/core";
import { Eye, EyeOff, Flag, Pin } from "lucide-react";
import { memo } from "react";
import Button from "react-bootstrap/Button";
import type { LayerChoices } from "../../engine/protocol/command";
import { msText } from "../../parts/format";
import "./LayerRow.css";

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
  /** Selected beside it, to be nested. */
  readonly also: boolean;
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
  readonly onSelect: (layer: string, extend: boolean) => void;
  /** How its bake stands; undefined without one. */
  readonly bake: string | undefined;
  readonly onBake: (layer: string) => void;
  readonly onToggle: (what: keyof LayerChoices, layer: string) => void;
  readonly edit: (edit: Edit) => Promise<void>;
}

/** A layer with what it costs, and what holds for it alone. */
export const LayerRow = memo(function LayerRow({
  layer,
  index,
  count,
  shown,
  selected,
  also,
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
      className={`layer-row ${selected || also ? "is-selected" : ""} ${shown ? "" : "is-off"}`}
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
        aria-pressed={selected || also}
        onClick={(event) => onSelect(layer.id, event.shiftKey)}
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
        disabled={bake === undefined && isLayerByLayer(layer)}
        title={
          isLayerByLayer(layer) ? "It is blended layer by layer: bake its layers, or make it one picture" : undefined
        }
        aria-label={bake === undefined ? `Bake ${layer.name}` : `Bake of ${layer.name}: ${bake}`}
        onClick={() => onBake(layer.id)}
      >
        {bake ?? "Bake"}
      </Button>
    </li>
  );
});
