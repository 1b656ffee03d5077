import type { Document } from "../composition";
import { buildGraph, EFFECT_MODES, RENDERER_CLASSES, type ContentKey, type RenderSettings } from "../graph";

/** Preview sizes as fractions of the edge. */
export const FRACTIONS = [1, 1 / 2, 1 / 3, 1 / 4] as const;

const EVERY_SETTING: readonly RenderSettings[] = RENDERER_CLASSES.flatMap((renderer) =>
  FRACTIONS.flatMap((fraction) => EFFECT_MODES.map((effects) => ({ fraction, effects, renderer }))),
);

/**
 * Keys of every frame that the given states of a document can show, at every preview size and effects
 * setting, by every renderer. Whatever is not among them is superseded.
 * @param states the states of the undo history
 */
export function reachableKeys(states: readonly Document[]): Set<ContentKey> {
  const keys = new Set<ContentKey>();
  for (const document of states) {
    const { duration } = document.compositions[document.main]!;
    for (const settings of EVERY_SETTING)
      for (let frame = 0; frame < duration; frame++) keys.add(buildGraph(document, frame, settings).key);
  }
  return keys;
}
