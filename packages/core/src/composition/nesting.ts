import { SOURCES } from "../drawing";
import { freeId, freeName, idOf, idsOf, newNestedLayer } from "./create";
import {
  mainComposition,
  MOST_COMPOSITIONS,
  withComposition,
  withLayers,
  withoutUnused,
  type Composition,
  type Document,
  type Layer,
} from "./document";
import { slid } from "./timeline";

/**
 * Puts layers of the main composition that lie next to each other into a composition of their own, which takes their
 * place as one layer. It is blended layer by layer, so that nothing looks different.
 * @throws RangeError when one of them is not there, or another one lies between them
 */
export function withLayersNested(document: Document, ids: readonly string[], wanted: string): Document {
  const main = mainComposition(document);
  const gone = ids.find((id) => !main.layers.some((layer) => layer.id === id));
  if (gone !== undefined) throw new RangeError(`${main.name} has no layer "${gone}"`);
  const first = main.layers.findIndex(({ id }) => ids.includes(id));
  const layers = main.layers.slice(first, first + ids.length);
  const between = layers.find(({ id }) => !ids.includes(id));
  if (between)
    throw new RangeError(`${between.name} lies between the layers; only layers next to each other are nested`);
  if (layers.length === 0) throw new RangeError("No layer was named to be nested");
  if (Object.keys(document.compositions).length >= MOST_COMPOSITIONS)
    throw new RangeError(`A document can hold ${MOST_COMPOSITIONS} compositions`);
  const id = freeId(idOf(wanted), new Set(Object.keys(document.compositions)));
  const others = main.layers.filter((layer) => !layers.includes(layer));
  const layer = newNestedLayer(id, wanted, { ...main, layers: others });
  const nested: Composition = { ...main, id, name: layer.name, layers };
  const kept = [...main.layers.slice(0, first), layer, ...main.layers.slice(first + ids.length)];
  return withLayers(withComposition(document, nested), kept);
}

/** Whether a nested composition's layers lie on what is below one by one: there is no picture of it as a whole. */
export function isLayerByLayer({ source }: Layer): boolean {
  return source.kind === "composition" && source.parameters.blending === "Layer by layer";
}

/** Why a layer cannot be replaced by the layers of its composition without looking different; undefined where it can. */
export function unnestingFault(document: Document, owner: Composition, layer: Layer): string | undefined {
  const { source, effects, opacity, blend, transform, motionBlur } = layer;
  if (source.kind !== "composition") return "it is not a nested composition";
  const { composition, offset, rendered } = source.parameters;
  const nested = document.compositions[composition as string]!;
  const name = SOURCES.composition.parameters;
  if (nested.width !== owner.width || nested.height !== owner.height) return "its size is another";
  if (nested.rate.numerator * owner.rate.denominator !== owner.rate.numerator * nested.rate.denominator)
    return "its frame rate is another";
  if (typeof offset !== "number") return `"${name.offset.label}" is animated`;
  if (rendered !== "100 %") return `it is rendered at ${String(rendered)}`;
  if (effects.length > 0) return "it has effects";
  if (opacity !== 1) return "its opacity is not 100 %";
  if (blend !== "normal") return `its blend mode is ${blend}`;
  if (motionBlur.enabled) return "it has motion blur";
  if (!isStill(transform)) return "it is moved, scaled or turned";
  return undefined;
}

function isStill({ x, y, scale, rotation }: Layer["transform"]): boolean {
  return x === 0 && y === 0 && scale === 1 && rotation === 0;
}

/**
 * The layers of a nested composition in place of the one that shows it, on the frames on which they were seen. The
 * composition goes where nothing else shows it.
 * @throws RangeError when that would look different
 */
export function withLayerUnnested(document: Document, id: string): Document {
  const main = mainComposition(document);
  const at = main.layers.findIndex((layer) => layer.id === id);
  if (at < 0) throw new RangeError(`${main.name} has no layer "${id}"`);
  const layer = main.layers[at]!;
  const fault = unnestingFault(document, main, layer);
  if (fault !== undefined) throw new RangeError(`${layer.name} cannot be un-nested: ${fault}`);
  const nested = document.compositions[layer.source.parameters.composition as string]!;
  const later = layer.start - (layer.source.parameters.offset as number);
  const seen = { in: Math.max(layer.range.in, later), out: Math.min(layer.range.out, later + nested.duration) };
  const others = main.layers.filter((one) => one !== layer);
  const freed: Layer[] = [];
  for (const inner of nested.layers) {
    const moved = slid(inner, later);
    const range = { in: Math.max(moved.range.in, seen.in), out: Math.min(moved.range.out, seen.out) };
    if (range.out <= range.in) continue;
    const taken = [...others, ...freed];
    const enabled = inner.enabled && layer.enabled;
    freed.push({ ...moved, id: freeId(inner.id, idsOf(taken)), name: freeName(inner.name, taken), range, enabled });
  }
  const layers = [...main.layers.slice(0, at), ...freed, ...main.layers.slice(at + 1)];
  return withoutUnused(withLayers(document, layers), nested.id);
}
