import { mainComposition, nestedIn, type Composition, type Document, type FrameNumber } from "../composition";
import {
  Bakes,
  buildGraph,
  EFFECT_MODES,
  FULL_QUALITY,
  NO_BAKES,
  RENDERER_CLASSES,
  SharedLayers,
  wordAt,
  type ContentKey,
  type RenderSettings,
} from "../graph";

/** Preview sizes as fractions of the edge. */
export const FRACTIONS = [1, 1 / 2, 1 / 3, 1 / 4] as const;

const EVERY_SETTING: readonly RenderSettings[] = [true, false].flatMap((motionBlur) =>
  RENDERER_CLASSES.flatMap((renderer) =>
    FRACTIONS.flatMap((fraction) =>
      EFFECT_MODES.map((effects) => ({ ...FULL_QUALITY, fraction, effects, renderer, motionBlur })),
    ),
  ),
);

/** Which frame a key shows, and at which size; one of them, where several frames are the same. */
export interface Shown {
  readonly frame: FrameNumber;
  readonly fraction: number;
}

/** What was found, and the settings that were not looked through though keys are missing, by number. */
export interface Reached {
  readonly found: ReadonlyMap<ContentKey, Shown>;
  readonly rest: readonly number[];
}

/** Equal things as one object, from one question to the next. */
class Interned<T extends object> {
  private byText = new Map<string, T>();
  private used = new Map<string, T>();
  private readonly texts = new WeakMap<T, string>();

  /** Forgets what was not asked for since the last time. */
  begin(): void {
    this.byText = this.used;
    this.used = new Map();
  }

  get(value: T, make = (): T => value): T {
    const text = this.texts.get(value) ?? JSON.stringify(value);
    const known = this.used.get(text) ?? this.byText.get(text) ?? make();
    this.used.set(text, known);
    for (const one of [value, known]) this.texts.set(one, text);
    return known;
  }
}

// A key that was not worked out yet. Others are the first 52 bits of it.
const UNKNOWN = -1;

/** What can be played of a document: one of its variants, or what was open by itself, in one of its states. */
interface Played {
  readonly document: Document;
  readonly duration: number;
  readonly blurs: boolean;
  /** Keys of its frames, by setting: without bakes and with them. */
  readonly keys: readonly [(Float64Array | undefined)[], (Float64Array | undefined)[]];
}

interface Pass {
  readonly setting: number;
  readonly bakes: Bakes;
  /** Whether they are played. */
  readonly isBaked: 0 | 1;
}

const PROBES = 6;

/**
 * Which frames a document can still show: in any of the states of its undo history and any variant, at every preview size
 * and effects setting, by every renderer, with its bakes and without. Others are superseded. Frames with solo layers or
 * with effects off for some are never among them: they are kept in memory alone.
 *
 * What was worked out is remembered, 8 bytes a frame and setting: after one more edit, its frames alone are gone through.
 * Where all settings have to be looked through, several of these share them.
 */
export class Reachable {
  private readonly compositions = new Interned<Composition>();
  private readonly layers = new Interned<Composition["layers"][number]>();
  private readonly assets = new Interned<Document["assets"]>();
  private played = new Map<string, Played>();
  private readonly live = new SharedLayers();
  private baked = new SharedLayers();
  private bakes = "";
  private readonly numbers = new WeakMap<object, number>();
  private nextNumber = 0;

  /**
   * Which of some keys can be shown, and as what: looked for among what is known already, and at the settings at which
   * frames were found. It ends as soon as every key was found.
   * @param states the states of the undo history
   * @param only settings to look through instead, by number
   */
  among(
    wanted: Iterable<ContentKey>,
    states: readonly Document[],
    bakes: Bakes = NO_BAKES,
    only?: readonly number[],
  ): Reached {
    this.take(states, bakes);
    const missing = new Map<number, ContentKey[]>();
    for (const key of new Set(wanted)) missing.set(beginning(key), [...(missing.get(beginning(key)) ?? []), key]);
    const found = new Map<ContentKey, Shown>();
    const played = [...this.played.values()];
    /** @returns how many were found */
    const look = (pass: Pass, frames: readonly FrameNumber[], isKnown = false): number => {
      const before = missing.size;
      const { fraction } = EVERY_SETTING[pass.setting]!;
      for (const one of played)
        for (const frame of frames) {
          if (missing.size === 0) break;
          const key = isKnown ? knownKey(one, pass, frame) : this.keyOf(one, pass, frame);
          const keys = key === UNKNOWN ? undefined : missing.get(key);
          if (!keys) continue;
          missing.delete(key);
          for (const each of keys) found.set(each, { frame, fraction });
        }
      return before - missing.size;
    };
    const passes = passesOf(played, bakes);
    const frames = Array.from({ length: Math.max(0, ...played.map((one) => one.duration)) }, (_, frame) => frame);
    if (only) {
      for (const pass of passes) if (only.includes(pass.setting)) look(pass, frames);
      return { found, rest: [] };
    }
    for (const pass of passes) look(pass, frames, true);
    // Most frames were rendered at one or two settings: a few frames tell which.
    const probes = frames.filter((frame) => frame % Math.ceil(frames.length / PROBES) === 0);
    const hits = passes.map((pass) => ({ pass, hits: look(pass, probes) }));
    const likely = hits.filter((one) => one.hits > 0).sort((a, b) => b.hits - a.hits);
    for (const { pass } of likely) look(pass, frames);
    const others = hits.filter((one) => one.hits === 0).map(({ pass }) => pass.setting);
    return { found, rest: missing.size > 0 ? [...new Set(others)] : [] };
  }

  /** Keeps what is known of what is still played. */
  private take(states: readonly Document[], bakes: Bakes): void {
    for (const one of [this.compositions, this.layers, this.assets]) one.begin();
    const named = new Map<string, Document>();
    for (const state of states.map((one) => this.interned(one)))
      for (const composition of new Set([...state.variants.map((variant) => variant.composition), state.main])) {
        const parts = nestedIn(state, composition).map((id) => this.numberOf(state.compositions[id]!));
        const name = [state.depth, composition, this.numberOf(state.assets), ...parts].join("|");
        if (!named.has(name)) named.set(name, { ...state, main: composition });
      }
    const before = this.played;
    this.played = new Map([...named].map(([name, document]) => [name, before.get(name) ?? playedOf(document)]));
    const text = JSON.stringify([bakes.list, [...bakes.unreadable]]);
    if (text === this.bakes) return;
    this.bakes = text;
    this.baked = new SharedLayers();
    for (const { keys } of this.played.values()) keys[1].length = 0;
  }

  private interned(state: Document): Document {
    const compositions = Object.entries(state.compositions).map(([id, composition]) => {
      const own = this.compositions.get(composition, () => ({
        ...composition,
        layers: composition.layers.map((layer) => this.layers.get(layer)),
      }));
      // They are still in use.
      for (const layer of own.layers) this.layers.get(layer);
      return [id, own] as const;
    });
    return { ...state, compositions: Object.fromEntries(compositions), assets: this.assets.get(state.assets) };
  }

  private numberOf(part: object): number {
    const known = this.numbers.get(part) ?? this.nextNumber++;
    this.numbers.set(part, known);
    return known;
  }

  private keyOf(one: Played, pass: Pass, frame: FrameNumber): number {
    const settings = EVERY_SETTING[pass.setting]!;
    if (frame >= one.duration || !(settings.motionBlur || one.blurs)) return UNKNOWN;
    const keys = (one.keys[pass.isBaked][pass.setting] ??= new Float64Array(one.duration).fill(UNKNOWN));
    if (keys[frame] === UNKNOWN) {
      const shared = pass.isBaked ? this.baked : this.live;
      keys[frame] = beginning(buildGraph(one.document, frame, settings, pass.bakes, shared).key);
    }
    return keys[frame]!;
  }
}

/** As a number: that two of a document's frames begin alike and differ is as good as impossible. */
function beginning(key: ContentKey): number {
  return (wordAt(key, 0) >>> 0) * 2 ** 20 + (wordAt(key, 8) >>> 12);
}

function knownKey({ keys }: Played, { setting, isBaked }: Pass, frame: FrameNumber): number {
  return keys[isBaked][setting]?.[frame] ?? UNKNOWN;
}

function playedOf(document: Document): Played {
  const blurs = Object.values(document.compositions).some(({ layers }) =>
    layers.some((layer) => layer.motionBlur.enabled),
  );
  return { document, duration: mainComposition(document).duration, blurs, keys: [[], []] };
}

function passesOf(played: readonly Played[], bakes: Bakes): Pass[] {
  const blurs = played.some((one) => one.blurs);
  const settings = EVERY_SETTING.flatMap(({ motionBlur }, setting) => (motionBlur || blurs ? [setting] : []));
  return settings.flatMap((setting): Pass[] => [
    { setting, bakes: NO_BAKES, isBaked: 0 },
    ...(bakes.list.length > 0 ? [{ setting, bakes, isBaked: 1 } as const] : []),
  ]);
}
