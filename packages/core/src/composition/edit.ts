import type { Animated } from "./animation";
import {
  mainComposition,
  withVariant,
  type Asset,
  type Depth,
  type Document,
  type EffectInstance,
  type Layer,
  type MotionBlur,
  type ParameterValue,
  type Transform,
} from "./document";
import type { FrameRange } from "./rate";

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
  | { readonly kind: "layerRange"; readonly layer: string; readonly range: FrameRange }
  | { readonly kind: "layerMotionBlur"; readonly layer: string; readonly motionBlur: MotionBlur }
  | { readonly kind: "sourceParameter"; readonly layer: string; readonly name: string; readonly value: ParameterValue }
  /** A new layer on top, with the asset that it shows. */
  | { readonly kind: "layerAdded"; readonly layer: Layer; readonly assets: Readonly<Record<string, Asset>> }
  /** A copy of the open variant, which is open from then on. */
  | { readonly kind: "variantAdded"; readonly name: string }
  | { readonly kind: "variantRenamed"; readonly variant: string; readonly name: string }
  | { readonly kind: "variantRemoved"; readonly variant: string }
  | { readonly kind: "variantShown"; readonly variant: string }
  | { readonly kind: "layerOpacity"; readonly layer: string; readonly opacity: Animated }
  | { readonly kind: "layerTransform"; readonly layer: string; readonly change: Partial<Transform> }
  | { readonly kind: "depth"; readonly depth: Depth };

function editLayer(document: Document, id: string, change: (layer: Layer) => Layer): Document {
  const main = mainComposition(document);
  if (!main.layers.some((layer) => layer.id === id)) throw new RangeError(`${main.name} has no layer "${id}"`);
  const layers = main.layers.map((layer) => (layer.id === id ? change(layer) : layer));
  return { ...document, compositions: { ...document.compositions, [main.id]: { ...main, layers } } };
}

function editEffect(layer: Layer, id: string, change: (effect: EffectInstance) => EffectInstance): Layer {
  if (!layer.effects.some((effect) => effect.id === id)) throw new RangeError(`${layer.name} has no effect "${id}"`);
  return { ...layer, effects: layer.effects.map((effect) => (effect.id === id ? change(effect) : effect)) };
}

function addLayer(document: Document, layer: Layer, assets: Readonly<Record<string, Asset>>): Document {
  const main = mainComposition(document);
  if (main.layers.some(({ id }) => id === layer.id)) throw new RangeError(`${main.name} has a layer "${layer.id}"`);
  return {
    ...document,
    compositions: { ...document.compositions, [main.id]: { ...main, layers: [...main.layers, layer] } },
    assets: { ...document.assets, ...assets },
  };
}

function addVariant(document: Document, name: string): Document {
  const main = mainComposition(document);
  const id = freeId(document.variants[0]!.composition, document.compositions);
  return {
    ...document,
    main: id,
    variants: [...document.variants, { composition: id, name }],
    compositions: { ...document.compositions, [id]: { ...main, id } },
  };
}

/** An id that nothing in a table has yet: the wanted one, with a number behind it where it must be. */
export function freeId(wanted: string, taken: Readonly<Record<string, unknown>>): string {
  let id = wanted;
  for (let n = 2; Object.hasOwn(taken, id); n++) id = `${wanted.slice(0, 58)}-${n}`;
  return id;
}

/** The composition goes too, unless another one shows it. */
function removeVariant(document: Document, id: string): Document {
  withVariant(document, id);
  const variants = document.variants.filter(({ composition }) => composition !== id);
  if (variants.length === 0) throw new RangeError("The only variant cannot be removed");
  const isNested = Object.values(document.compositions).some(({ layers }) =>
    layers.some(({ source }) => source.kind === "composition" && source.parameters.composition === id),
  );
  const compositions = Object.entries(document.compositions).filter(([key]) => isNested || key !== id);
  return {
    ...document,
    variants,
    main: document.main === id ? variants[0]!.composition : document.main,
    compositions: Object.fromEntries(compositions),
  };
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
    case "layerRange":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, range: edit.range }));
    case "layerMotionBlur":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, motionBlur: edit.motionBlur }));
    case "sourceParameter":
      return editLayer(document, edit.layer, (layer) => ({
        ...layer,
        source: { ...layer.source, parameters: { ...layer.source.parameters, [edit.name]: edit.value } },
      }));
    case "layerAdded":
      return addLayer(document, edit.layer, edit.assets);
    case "variantAdded":
      return addVariant(document, edit.name);
    case "variantRenamed":
      withVariant(document, edit.variant);
      return {
        ...document,
        variants: document.variants.map((variant) =>
          variant.composition === edit.variant ? { ...variant, name: edit.name } : variant,
        ),
      };
    case "variantRemoved":
      return removeVariant(document, edit.variant);
    case "variantShown":
      return withVariant(document, edit.variant);
    case "layerOpacity":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, opacity: edit.opacity }));
    case "layerTransform":
      return editLayer(document, edit.layer, (layer) => ({
        ...layer,
        transform: { ...layer.transform, ...edit.change },
      }));
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
