import { mainComposition, withVariant, type Document } from "../composition";
import {
  buildGraph,
  EFFECT_MODES,
  FULL_QUALITY,
  NO_BAKES,
  RENDERER_CLASSES,
  type Bakes,
  type ContentKey,
  type RenderSettings,
} from "../graph";

/** Preview sizes as fractions of the edge. */
export const FRACTIONS = [1, 1 / 2, 1 / 3, 1 / 4] as const;

const EVERY_SETTING: readonly RenderSettings[] = RENDERER_CLASSES.flatMap((renderer) =>
  FRACTIONS.flatMap((fraction) => EFFECT_MODES.map((effects) => ({ ...FULL_QUALITY, fraction, effects, renderer }))),
);

function hasMotionBlur(document: Document): boolean {
  return Object.values(document.compositions).some(({ layers }) => layers.some((layer) => layer.motionBlur.enabled));
}

/** The variants of all states, each thing that is played once: most states share all variants but one. */
function played(states: readonly Document[]): Document[] {
  const numbers = new WeakMap<object, number>();
  let next = 0;
  const numberOf = (value: object) => {
    const known = numbers.get(value) ?? next++;
    numbers.set(value, known);
    return known;
  };
  const found = new Map<string, Document>();
  for (const state of states)
    for (const { composition } of state.variants) {
      const reached = reachedFrom(state, composition).map((id) => numberOf(state.compositions[id]!));
      const name = `${state.depth}|${composition}|${reached.join()}|${numberOf(state.assets)}`;
      if (!found.has(name)) found.set(name, withVariant(state, composition));
    }
  return [...found.values()];
}

/** Ids of a composition and of all that are nested in it. */
function reachedFrom({ compositions }: Document, start: string): string[] {
  const reached = new Set([start]);
  for (const id of reached)
    for (const { source } of compositions[id]!.layers)
      if (source.kind === "composition") reached.add(source.parameters.composition as string);
  return [...reached];
}

/**
 * Keys of every frame that the given states of a document can show in any variant, at every preview size and
 * effects setting, by every renderer, with its bakes and without. Whatever is not among them is superseded.
 * Frames with solo layers or with effects off for some are not: they are kept in memory alone.
 * @param states the states of the undo history
 */
export function reachableKeys(states: readonly Document[], bakes: Bakes = NO_BAKES): Set<ContentKey> {
  const keys = new Set<ContentKey>();
  const ways = bakes.list.length > 0 ? [NO_BAKES, bakes] : [NO_BAKES];
  for (const document of played(states)) {
    const { duration } = mainComposition(document);
    const settings = hasMotionBlur(document)
      ? EVERY_SETTING.flatMap((one) => [one, { ...one, motionBlur: false }])
      : EVERY_SETTING;
    for (const one of settings)
      for (const way of ways)
        for (let frame = 0; frame < duration; frame++) keys.add(buildGraph(document, frame, one, way).key);
  }
  return keys;
}
