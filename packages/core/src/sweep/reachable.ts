import { mainComposition, withVariant, type Document, type FrameNumber } from "../composition";
import {
  buildGraph,
  EFFECT_MODES,
  FULL_QUALITY,
  NO_BAKES,
  RENDERER_CLASSES,
  SharedLayers,
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

const PROBES = 6;

/** Which frame a key shows, and at which size; one of them, where several frames are the same. */
export interface Shown {
  readonly frame: FrameNumber;
  readonly fraction: number;
}

interface Pass {
  readonly settings: RenderSettings;
  readonly bakes: Bakes;
}

/**
 * Which of some keys a document can still show: in any of its states and variants, at every preview size and effects
 * setting, by every renderer, with its bakes and without. The others are superseded. Frames with solo layers or with
 * effects off for some are never among them: they are kept in memory alone.
 *
 * It ends as soon as every key was found. Otherwise all frames of all states are gone through, the states of a frame
 * together, so that layers which they share are worked out once.
 * @param states the states of the undo history
 * @returns those that can be shown, and as what
 */
export function reachableAmong(
  wanted: Iterable<ContentKey>,
  states: readonly Document[],
  bakes: Bakes = NO_BAKES,
): Map<ContentKey, Shown> {
  const missing = new Set(wanted);
  const found = new Map<ContentKey, Shown>();
  const documents = played(states).map((document) => ({
    document,
    duration: mainComposition(document).duration,
    blurs: hasMotionBlur(document),
  }));
  const duration = Math.max(0, ...documents.map((one) => one.duration));
  /** @returns how many were found */
  const look = ({ settings, bakes: way }: Pass, frame: FrameNumber): number => {
    const shared = new SharedLayers();
    const before = found.size;
    for (const one of documents) {
      if (missing.size === 0) break;
      if (frame >= one.duration || !(settings.motionBlur || one.blurs)) continue;
      const { key } = buildGraph(one.document, frame, settings, way, shared);
      if (missing.delete(key)) found.set(key, { frame, fraction: settings.fraction });
    }
    return found.size - before;
  };
  // Most frames were rendered at one or two settings: a few frames tell which, and those come first.
  const hits = passesOf(states, bakes).map((pass) => {
    const probes = Array.from({ length: PROBES }, (_, at) => Math.floor((at * duration) / PROBES));
    return { pass, hits: probes.reduce((sum, frame) => sum + look(pass, frame), 0) };
  });
  for (const { pass } of hits.sort((a, b) => b.hits - a.hits))
    for (let frame = 0; frame < duration; frame++) {
      if (missing.size === 0) return found;
      look(pass, frame);
    }
  return found;
}

function passesOf(documents: readonly Document[], bakes: Bakes): Pass[] {
  const blurs = documents.some(hasMotionBlur) ? [true, false] : [true];
  const ways = bakes.list.length > 0 ? [NO_BAKES, bakes] : [NO_BAKES];
  return EVERY_SETTING.flatMap((one) =>
    blurs.flatMap((motionBlur) => ways.map((way) => ({ settings: { ...one, motionBlur }, bakes: way }))),
  );
}
