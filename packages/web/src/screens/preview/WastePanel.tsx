import type { Waste } from "@kinetocache/core";
import { useEffect } from "react";
import Button from "react-bootstrap/Button";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { msText } from "../../parts/format";
import { remedyText, wasteText } from "./wasteWords";

function WasteRow({ waste }: { readonly waste: Waste }) {
  const { composition, edit, undo, notify } = useWorkspace();
  const layer = composition.layers.find(({ id }) => id === waste.layer);
  if (!layer) return null;
  const remedy = remedyText(waste, layer);
  const cure = async () => {
    await edit(waste.remedy);
    notify(`${layer.name}: ${remedy[0]!.toLowerCase()}${remedy.slice(1)}.`, { label: "Undo", run: () => void undo() });
  };
  return (
    <li>
      <div className="waste-head">
        <strong>{layer.name}</strong>
        <span className={`mono ${waste.costMs > 0 ? "is-estimate" : ""}`}>
          {waste.costMs > 0 ? `${msText(waste.costMs)} est.` : "left out already"}
        </span>
      </div>
      <p>
        {wasteText(waste, layer)}. {waste.reason}.
      </p>
      <Button size="sm" variant="outline-dark" onClick={() => void cure()}>
        {remedy}
      </Button>
    </li>
  );
}

/** Layers that cost time and show nothing, with what takes each away. */
export function WastePanel({ active }: { readonly active: boolean }) {
  const { document } = useWorkspace();
  const waste = useEngine((state) => state.waste);
  const rendered = useEngine((state) => state.status?.rendered ?? 0);
  // Costs become known with the first frames; later they change little.
  const warmth = Math.min(8, Math.floor(rendered / 4));
  useEffect(() => {
    if (active) send({ kind: "findWaste" });
  }, [active, document, warmth]);
  const total = (waste ?? []).reduce((sum, { costMs }) => sum + costMs, 0);
  return (
    <div className="panel-body">
      <h3>
        {waste === undefined
          ? "Looking…"
          : waste.length === 0
            ? "No wasted rendering"
            : total > 0
              ? `${msText(total)} of a frame shows nothing (est.)`
              : "Nothing that costs time"}
      </h3>
      <p className="control-note">
        Layers that are covered, outside the picture, transparent or trimmed away, effects that change nothing, nested
        compositions larger than what is seen of them.
      </p>
      <ul className="waste-list">
        {waste?.map((one) => (
          <WasteRow key={`${one.kind}-${one.layer}-${one.effect ?? ""}`} waste={one} />
        ))}
      </ul>
    </div>
  );
}
