import type { Animated } from "./animation";
import type { Depth, Document, EffectInstance, Layer, ParameterValue } from "./document";

/** What a user can change. Each names its target, so that it can be stored, repeated and undone. */
export type Edit =
  | {
      readonly kind: "effectParameter";
      readonly layer: string;
      readonly effect: string;
      readonly name: string;
      readonly value: ParameterValue;
    }
  | { readonly kind: "effectEnabled"; readonly layer: string; readonly effect: string; readonly enabled: boolean }
  | { readonly kind: "layerEnabled"; readonly layer: string; readonly enabled: boolean }
  | { readonly kind: "layerSolo"; readonly layer: string; readonly solo: boolean }
  | { readonly kind: "layerOpacity"; readonly layer: string; readonly opacity: Animated }
  | { readonly kind: "depth"; readonly depth: Depth };

function editLayer(document: Document, id: string, change: (layer: Layer) => Layer): Document {
  const main = document.compositions[document.main]!;
  if (!main.layers.some((layer) => layer.id === id)) throw new RangeError(`${main.name} has no layer "${id}"`);
  const layers = main.layers.map((layer) => (layer.id === id ? change(layer) : layer));
  return { ...document, compositions: { ...document.compositions, [main.id]: { ...main, layers } } };
}

function editEffect(layer: Layer, id: string, change: (effect: EffectInstance) => EffectInstance): Layer {
  if (!layer.effects.some((effect) => effect.id === id)) throw new RangeError(`${layer.name} has no effect "${id}"`);
  return { ...layer, effects: layer.effects.map((effect) => (effect.id === id ? change(effect) : effect)) };
}

/**
 * The document after an edit of its main composition; whatever the edit does not touch is shared with the
 * document before it. @throws RangeError when the target does not exist
 */
export function applyEdit(document: Document, edit: Edit): Document {
  switch (edit.kind) {
    case "depth":
      return { ...document, depth: edit.depth };
    case "layerEnabled":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, enabled: edit.enabled }));
    case "layerSolo":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, solo: edit.solo }));
    case "layerOpacity":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, opacity: edit.opacity }));
    case "effectEnabled":
      return editLayer(document, edit.layer, (layer) =>
        editEffect(layer, edit.effect, (effect) => ({ ...effect, enabled: edit.enabled })),
      );
    case "effectParameter":
      return editLayer(document, edit.layer, (layer) =>
        editEffect(layer, edit.effect, (effect) => ({
          ...effect,
          parameters: { ...effect.parameters, [edit.name]: edit.value },
        })),
      );
  }
}
