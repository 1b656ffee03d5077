import { EFFECTS, SOURCES, type EffectKind, type Parameters } from "../drawing";
import {
  DOCUMENT_FORMAT,
  DOCUMENT_VERSION,
  LONGEST_NAME,
  NO_MOTION_BLUR,
  type ClipAsset,
  type Composition,
  type Depth,
  type Document,
  type EffectInstance,
  type Layer,
  type ParameterValues,
  type SequenceAsset,
} from "./document";
import { fitting } from "./fitting";

/** Sources that show something of their own, without media. */
export const MADE_SOURCES = ["solid", "gradient", "noise", "flock"] as const;
export type MadeSource = (typeof MADE_SOURCES)[number];

const STILL = { x: 0, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 };

/** Initial values; what refers to something else has none. */
function initial(parameters: Parameters): ParameterValues {
  return Object.fromEntries(
    Object.entries(parameters).flatMap(([name, spec]) => (spec.type === "reference" ? [] : [[name, spec.default]])),
  );
}

/** An id made of a name: lower-case letters, digits and hyphens. */
export function idOf(name: string): string {
  const plain = name
    .normalize("NFD")
    .toLowerCase()
    .replace(/\p{M}/gu, "")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "");
  return plain.slice(0, 58).replace(/-+$/, "") || "composition";
}

/** A document of one composition without layers. */
export function newDocument(
  made: Pick<Composition, "name" | "width" | "height" | "rate" | "duration">,
  depth: Depth,
): Document {
  const id = idOf(made.name);
  return {
    format: DOCUMENT_FORMAT,
    version: DOCUMENT_VERSION,
    id,
    depth,
    main: id,
    variants: [{ composition: id, name: "Original" }],
    compositions: { [id]: { ...made, id, layers: [] } },
    assets: {},
  };
}

/** Where a source is put that fills a picture of another size than its initial values are for. */
function filling(kind: MadeSource, { width, height }: Composition): ParameterValues {
  switch (kind) {
    case "gradient":
      return { y1: height };
    case "flock":
      return { centreX: Math.round(width / 2), centreY: Math.round(height * 0.4) };
    default:
      return {};
  }
}

/** A layer that shows a source as it is over the whole length, under a name and an id that no other has there. */
function plainLayer(wanted: string, source: Layer["source"], { layers, duration }: Composition): Layer {
  const name = freeName(wanted.slice(0, LONGEST_NAME - 5), layers);
  return {
    id: freeId(idOf(name), idsOf(layers)),
    name,
    enabled: true,
    range: { in: 0, out: duration },
    start: 0,
    source,
    transform: STILL,
    opacity: 1,
    blend: "normal",
    effects: [],
    motionBlur: NO_MOTION_BLUR,
  };
}

/** A layer of a source that needs no media, over the whole length. */
export function newLayer(kind: MadeSource, composition: Composition): Layer {
  const { label, parameters } = SOURCES[kind];
  return plainLayer(
    label,
    { kind, parameters: { ...initial(parameters), ...filling(kind, composition) } },
    composition,
  );
}

/** A layer that shows another composition of the same size and rate, whose layers are blended as if they lay there. */
export function newNestedLayer(nested: string, wanted: string, composition: Composition): Layer {
  const parameters = { ...initial(SOURCES.composition.parameters), composition: nested, blending: "Layer by layer" };
  return plainLayer(wanted, { kind: "composition", parameters }, composition);
}

/** Frames of a composition over which a clip or a sequence shows something, from its first picture on. */
function lengthIn(composition: Composition, { rate, duration }: Pick<ClipAsset, "rate" | "duration">): number {
  const { numerator, denominator } = composition.rate;
  const frames = Math.ceil((duration * rate.denominator * numerator) / (rate.numerator * denominator));
  return Math.max(1, Math.min(frames, composition.duration));
}

/** A layer that shows media from the first frame on, in the middle, and smaller where it would not fit. */
export function newMediaLayer(
  kind: "clip" | "sequence",
  asset: string,
  media: ClipAsset | SequenceAsset,
  wanted: string,
  composition: Composition,
): Layer {
  const layer = plainLayer(wanted, { kind, parameters: { asset, offset: 0 } }, composition);
  return {
    ...layer,
    range: { in: 0, out: lengthIn(composition, media) },
    transform: { ...STILL, ...fitting(media, composition) },
  };
}

/** An effect at its initial values, under an id that no other of the layer has. */
export function newEffect(kind: EffectKind, { effects }: Layer): EffectInstance {
  return { id: freeId(idOf(kind), idsOf(effects)), kind, enabled: true, parameters: initial(EFFECTS[kind].parameters) };
}

export const idsOf = (all: readonly { readonly id: string }[]): ReadonlySet<string> => new Set(all.map(({ id }) => id));

/** An id that is not taken yet: the wanted one, with a number behind it where it must be. */
export function freeId(wanted: string, taken: ReadonlySet<string>): string {
  let id = wanted;
  for (let n = 2; taken.has(id); n++) id = `${wanted.slice(0, 58)}-${n}`;
  return id;
}

/** A name that no layer has yet: the wanted one, with a number behind it where it must be. */
export function freeName(wanted: string, layers: readonly Layer[]): string {
  const taken = new Set(layers.map(({ name }) => name));
  let name = wanted;
  for (let n = 2; taken.has(name); n++) name = `${wanted.slice(0, LONGEST_NAME - 5)} ${n}`;
  return name;
}
