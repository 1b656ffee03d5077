import type { Layer } from "@kinetocache/core";
import { useWorkspace } from "../../data/workspace";

/** What every list of layers is given. */
export interface LayerListProps {
  readonly selected: string | undefined;
  /** Layers that are selected beside it, to be nested. */
  readonly also: readonly string[];
  /** @param extend whether all layers up to this one are selected */
  readonly onSelect: (layer: string, extend: boolean) => void;
}

/** Whether a layer is seen in the preview: switched on, and not left out by another's solo. */
export function useShownLayers(): (layer: Layer) => boolean {
  const { composition, layers } = useWorkspace();
  const isSolo = composition.layers.some(({ id, enabled }) => enabled && layers.solo.includes(id));
  return ({ id, enabled }) => enabled && (!isSolo || layers.solo.includes(id));
}

/** What stands in place of a list that has nothing in it. */
export function NoLayers() {
  const { composition } = useWorkspace();
  if (composition.layers.length > 0) return null;
  return <p className="empty layers-empty">{composition.name} has no layers yet: add the first one above.</p>;
}
