import { unnestingFault } from "@kinetocache/core";
import Button from "react-bootstrap/Button";
import { presentEngine, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { canSplit, nesting } from "./layerTime";
import type { LayerListProps } from "./layerList";

/** What is done to the selected layers in time. */
export function TimeTools({ selected, also }: Pick<LayerListProps, "selected" | "also">) {
  const { document, composition, edit } = useWorkspace();
  const layer = composition.layers.find(({ id }) => id === selected);
  const splits = useEngine(({ playhead }) => layer !== undefined && canSplit(layer, playhead));
  const isNested = layer?.source.kind === "composition";
  const fault = layer && isNested ? unnestingFault(document, composition, layer) : undefined;
  return (
    <span className="time-tools">
      <Button
        size="sm"
        variant="outline-dark"
        disabled={!splits}
        title="In two at the playhead; both together show what it showed"
        onClick={() => void edit({ kind: "layerSplit", layer: selected!, at: presentEngine().playhead })}
      >
        Split
      </Button>
      <Button
        size="sm"
        variant="outline-dark"
        disabled={!layer}
        title="Into a composition of its own. Shift-click another layer to take all up to it"
        onClick={() => void edit(nesting(layer!, also))}
      >
        {also.length > 0 ? `Nest ${also.length + 1}` : "Nest"}
      </Button>
      {isNested ? (
        <>
          <Button
            size="sm"
            variant="outline-dark"
            disabled={fault !== undefined}
            title={fault === undefined ? "Its layers in its place" : `It cannot be un-nested: ${fault}`}
            onClick={() => void edit({ kind: "layerUnnested", layer: selected! })}
          >
            Un-nest
          </Button>
          <Button
            size="sm"
            variant="outline-dark"
            title="Play and change the nested composition by itself"
            onClick={() =>
              void edit({ kind: "nestedOpened", composition: String(layer.source.parameters.composition) })
            }
          >
            Open
          </Button>
        </>
      ) : null}
    </span>
  );
}
