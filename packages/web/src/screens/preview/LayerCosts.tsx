import { bakeState, type Layer } from "@kinetocache/core";
import { useCallback, useEffect, useMemo, useRef } from "react";
import { useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { LayerCost } from "../../engine/frameCosts";
import type { LayerChoices } from "../../engine/protocol/command";
import { useRows } from "../../parts/rows";
import { bakeRowText } from "./bakeWords";
import { toggled } from "./layerChoices";
import { LayerRow } from "./LayerRow";
import { NoLayers, useShownLayers, type LayerListProps } from "./layerList";

// Must match the height of .layer-row, at the usual size of text.
const ROW_PX = 26;

/** The moment or the stretch for which costs are shown. */
export type CostsOver = "playhead" | "range";

interface LayerCostsProps extends LayerListProps {
  readonly order: "cost" | "stacking";
  readonly over: CostsOver;
  readonly onBake: (layer: string) => void;
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
export function LayerCosts({ selected, also, onSelect, onBake, order, over }: LayerCostsProps) {
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
  const byLayer = useMemo(() => new Map(costs?.map((cost) => [cost.layer, cost])), [costs]);
  const msOf = (cost: LayerCost | undefined) => (over === "playhead" ? cost?.playheadMs : cost?.rangeMs);
  const rows = [...composition.layers].reverse();
  const rank = (layer: Layer) => msOf(byLayer.get(layer.id)) ?? 0;
  if (order === "cost") rows.sort((a, b) => rank(b) - rank(a));
  const top = Math.max(1, ...rows.map((layer) => msOf(byLayer.get(layer.id)) ?? 0));
  const baked = useBakedLayers();
  const cached = useEngine(({ status, timeline }) => {
    if (!status || !timeline) return false;
    const { range, playhead } = status;
    const held = over === "range" ? timeline.residency.subarray(range.in, range.out) : [timeline.residency[playhead]];
    return held.every((tiers) => tiers !== 0);
  });
  const missing = useEngine((state) => state.status?.missing);
  const lostOf = ({ source }: Layer): string | undefined => {
    const asset = source.kind === "clip" ? document.assets[source.parameters.asset as string] : undefined;
    return asset?.kind === "clip" && asset.file ? missing?.[asset.file.fingerprint] : undefined;
  };
  const isShown = useShownLayers();
  const scroller = useRef<HTMLDivElement>(null);
  const { rows: list } = useRows({ count: rows.length, scroller, heightPx: ROW_PX, overscan: 10 });
  const inView = list.getVirtualItems();
  return (
    <div className="layer-list" ref={scroller}>
      <NoLayers />
      <ul style={{ paddingTop: inView[0]?.start, paddingBottom: list.getTotalSize() - (inView.at(-1)?.end ?? 0) }}>
        {inView.map(({ index }) => {
          const layer = rows[index]!;
          const cost = byLayer.get(layer.id);
          const ms = msOf(cost);
          const measured = over === "playhead" ? cost?.measured : cost?.rangeMeasured;
          return (
            <LayerRow
              key={layer.id}
              layer={layer}
              index={index}
              count={rows.length}
              shown={isShown(layer)}
              selected={layer.id === selected}
              also={also.includes(layer.id)}
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
  );
}
