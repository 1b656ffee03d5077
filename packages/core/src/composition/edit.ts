import type { Animated } from "./animation";
import type { BlendMode } from "./blend";
import { freeId, idsOf, newMediaLayer } from "./create";
import {
  LONGEST_NAME,
  mainComposition,
  nestedIn,
  MOST_EFFECTS,
  withLayers,
  withoutUnused,
  withVariant,
  type Asset,
  type ClipAsset,
  type Composition,
  type Depth,
  type Document,
  type EffectInstance,
  type Layer,
  type ReferencedClip,
  type MotionBlur,
  type ParameterValue,
  type Transform,
} from "./document";
import { withLayersNested, withLayerUnnested } from "./nesting";
import type { FrameNumber, FrameRange } from "./rate";
import { slid, split, trimmed } from "./timeline";

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
  /** On which frames it shows; what it shows on them stays. */
  | { readonly kind: "layerRange"; readonly layer: string; readonly range: FrameRange }
  /** Later or earlier, with all that it does, so that it shows from a frame on. */
  | { readonly kind: "layerSlid"; readonly layer: string; readonly in: FrameNumber }
  /** In two, the second one right above and from a frame on. */
  | { readonly kind: "layerSplit"; readonly layer: string; readonly at: FrameNumber }
  | { readonly kind: "layerMotionBlur"; readonly layer: string; readonly motionBlur: MotionBlur }
  | { readonly kind: "sourceParameter"; readonly layer: string; readonly name: string; readonly value: ParameterValue }
  /** A new layer on top, with the asset that it shows. */
  | { readonly kind: "layerAdded"; readonly layer: Layer; readonly assets: Readonly<Record<string, Asset>> }
  /** Layers that lie next to each other, as one nested composition. */
  | { readonly kind: "layersNested"; readonly layers: readonly string[]; readonly name: string }
  /** A nested composition's layers in its place. */
  | { readonly kind: "layerUnnested"; readonly layer: string }
  /** Other clips in place of some, by their assets, wherever those are shown. */
  | { readonly kind: "clipsReplaced"; readonly clips: Readonly<Record<string, ClipAsset>> }
  | { readonly kind: "layerRemoved"; readonly layer: string }
  | { readonly kind: "layerRenamed"; readonly layer: string; readonly name: string }
  /** A copy right above it. */
  | { readonly kind: "layerDuplicated"; readonly layer: string }
  /** To another place in the order of stacking, 0 at the bottom; beyond an end it goes to that end. */
  | { readonly kind: "layerMoved"; readonly layer: string; readonly to: number }
  | { readonly kind: "layerBlend"; readonly layer: string; readonly blend: BlendMode }
  /** The last one to be applied. */
  | { readonly kind: "effectAdded"; readonly layer: string; readonly effect: EffectInstance }
  | { readonly kind: "effectRemoved"; readonly layer: string; readonly effect: string }
  /** To another place among those of its layer, 0 for the first to be applied. */
  | { readonly kind: "effectMoved"; readonly layer: string; readonly effect: string; readonly to: number }
  /** A copy of the open variant, which is open from then on. */
  | { readonly kind: "variantAdded"; readonly name: string }
  | { readonly kind: "variantRenamed"; readonly variant: string; readonly name: string }
  | { readonly kind: "variantRemoved"; readonly variant: string }
  | { readonly kind: "variantShown"; readonly variant: string }
  /** A composition that a variant shows, to be played and changed by itself. */
  | { readonly kind: "nestedOpened"; readonly composition: string }
  | { readonly kind: "layerOpacity"; readonly layer: string; readonly opacity: Animated }
  | { readonly kind: "layerTransform"; readonly layer: string; readonly change: Partial<Transform> }
  | { readonly kind: "depth"; readonly depth: Depth };

/** Puts other layers in place of one. */
function replaceLayer(document: Document, id: string, change: (layer: Layer) => readonly Layer[]): Document {
  return editLayers(document, (layers, main) => {
    if (!layers.some((layer) => layer.id === id)) throw new RangeError(`${main.name} has no layer "${id}"`);
    return layers.flatMap((layer) => (layer.id === id ? change(layer) : [layer]));
  });
}

function editLayers(
  document: Document,
  change: (layers: readonly Layer[], main: Composition) => readonly Layer[],
): Document {
  const main = mainComposition(document);
  return withLayers(document, change(main.layers, main));
}

const editLayer = (document: Document, id: string, change: (layer: Layer) => Layer): Document =>
  replaceLayer(document, id, (layer) => [change(layer)]);

function duplicateLayer(document: Document, id: string): Document {
  const { layers } = mainComposition(document);
  return replaceLayer(document, id, (layer) => [
    layer,
    { ...layer, id: freeId(layer.id, idsOf(layers)), name: `${layer.name.slice(0, LONGEST_NAME - 5)} copy` },
  ]);
}

function editEffects(
  layer: Layer,
  id: string,
  change: (effects: readonly EffectInstance[], at: number) => readonly EffectInstance[],
): Layer {
  const at = layer.effects.findIndex((effect) => effect.id === id);
  if (at < 0) throw new RangeError(`${layer.name} has no effect "${id}"`);
  return { ...layer, effects: change(layer.effects, at) };
}

const editEffect = (layer: Layer, id: string, change: (effect: EffectInstance) => EffectInstance): Layer =>
  editEffects(layer, id, (effects) => effects.map((effect) => (effect.id === id ? change(effect) : effect)));

function addEffect(layer: Layer, effect: EffectInstance): Layer {
  if (layer.effects.some(({ id }) => id === effect.id))
    throw new RangeError(`${layer.name} has an effect "${effect.id}"`);
  if (layer.effects.length >= MOST_EFFECTS)
    throw new RangeError(`${layer.name} has ${MOST_EFFECTS} effects, the most there can be`);
  return { ...layer, effects: [...layer.effects, effect] };
}

/** One of a list at another place; the others keep their order. */
function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const others = list.filter((_, at) => at !== from);
  const place = Math.max(0, Math.min(others.length, Math.round(to)));
  return [...others.slice(0, place), list[from]!, ...others.slice(place)];
}

function moveLayer(document: Document, id: string, to: number): Document {
  return editLayers(document, (layers, main) => {
    const from = layers.findIndex((layer) => layer.id === id);
    if (from < 0) throw new RangeError(`${main.name} has no layer "${id}"`);
    return moved(layers, from, to);
  });
}

function addLayer(document: Document, layer: Layer, assets: Readonly<Record<string, Asset>>): Document {
  const main = mainComposition(document);
  if (main.layers.some(({ id }) => id === layer.id)) throw new RangeError(`${main.name} has a layer "${layer.id}"`);
  const added = editLayers(document, (layers) => [...layers, layer]);
  return { ...added, assets: { ...document.assets, ...assets } };
}

/**
 * Puts a clip on top, as a layer from the first frame on. A file that the document has already is the same asset; an
 * id that another clip has by now, as one was replaced, stays with that.
 */
export function clipAdded(document: Document, clip: ReferencedClip): Edit & { readonly kind: "layerAdded" } {
  const { fingerprint, name } = clip.file;
  const known = Object.entries(document.assets).find(
    ([, one]) => one.kind === "clip" && one.file?.fingerprint === fingerprint,
  );
  const [asset, media] = known ?? [freeId(`clip-${fingerprint}`, new Set(Object.keys(document.assets))), clip];
  const layer = newMediaLayer("clip", asset, media as ReferencedClip, name, mainComposition(document));
  return { kind: "layerAdded", layer, assets: { [asset]: media } };
}

function replaceClips(document: Document, clips: Readonly<Record<string, ClipAsset>>): Document {
  const gone = Object.keys(clips).find((id) => document.assets[id]?.kind !== "clip");
  if (gone !== undefined) throw new RangeError(`The document has no clip "${gone}"`);
  return { ...document, assets: { ...document.assets, ...clips } };
}

function addVariant(document: Document, name: string): Document {
  const main = mainComposition(document);
  withVariant(document, main.id);
  const id = freeId(document.variants[0]!.composition, new Set(Object.keys(document.compositions)));
  return {
    ...document,
    main: id,
    variants: [...document.variants, { composition: id, name }],
    compositions: { ...document.compositions, [id]: { ...main, id } },
  };
}

function openNested(document: Document, composition: string): Document {
  const isShown = document.variants.some((variant) => nestedIn(document, variant.composition).includes(composition));
  if (!isShown) throw new RangeError(`No variant shows a composition "${composition}"`);
  return { ...document, main: composition };
}

/** The composition goes too, unless another one shows it. */
function removeVariant(document: Document, id: string): Document {
  withVariant(document, id);
  const variants = document.variants.filter(({ composition }) => composition !== id);
  if (variants.length === 0) throw new RangeError("The only variant cannot be removed");
  const main = document.main === id ? variants[0]!.composition : document.main;
  return withoutUnused({ ...document, variants, main }, id);
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
      return editLayer(document, edit.layer, (layer) => trimmed(layer, edit.range));
    case "layerSlid":
      return editLayer(document, edit.layer, (layer) => slid(layer, edit.in - layer.range.in));
    case "layerSplit":
      return replaceLayer(document, edit.layer, (layer) => split(layer, edit.at, mainComposition(document).layers));
    case "layerMotionBlur":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, motionBlur: edit.motionBlur }));
    case "sourceParameter":
      return editLayer(document, edit.layer, (layer) => ({
        ...layer,
        source: { ...layer.source, parameters: { ...layer.source.parameters, [edit.name]: edit.value } },
      }));
    case "layerAdded":
      return addLayer(document, edit.layer, edit.assets);
    case "layersNested":
      return withLayersNested(document, edit.layers, edit.name);
    case "layerUnnested":
      return withLayerUnnested(document, edit.layer);
    case "clipsReplaced":
      return replaceClips(document, edit.clips);
    case "layerRemoved":
      return replaceLayer(document, edit.layer, () => []);
    case "layerRenamed":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, name: edit.name }));
    case "layerDuplicated":
      return duplicateLayer(document, edit.layer);
    case "layerMoved":
      return moveLayer(document, edit.layer, edit.to);
    case "layerBlend":
      return editLayer(document, edit.layer, (layer) => ({ ...layer, blend: edit.blend }));
    case "effectAdded":
      return editLayer(document, edit.layer, (layer) => addEffect(layer, edit.effect));
    case "effectRemoved":
      return editLayer(document, edit.layer, (layer) =>
        editEffects(layer, edit.effect, (effects) => effects.filter(({ id }) => id !== edit.effect)),
      );
    case "effectMoved":
      return editLayer(document, edit.layer, (layer) =>
        editEffects(layer, edit.effect, (effects, at) => moved(effects, at, edit.to)),
      );
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
    case "nestedOpened":
      return openNested(document, edit.composition);
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
