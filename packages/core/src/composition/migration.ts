import { DOCUMENT_FORMAT, DOCUMENT_VERSION, NO_MOTION_BLUR } from "./document";

/** A document that cannot be accepted; `problems` says what, where and what would be right. */
export class DocumentError extends Error {
  constructor(readonly problems: readonly string[]) {
    super(problems.join("\n"));
    this.name = "DocumentError";
  }
}

type Versioned = Record<string, unknown> & { version: number };

/** One step a version: `MIGRATIONS[n]` turns version n into n + 1. */
const MIGRATIONS: Readonly<Record<number, (document: Versioned) => Versioned>> = {
  // Version 1 held the frame rate as a decimal, `fps`, and had no bit depth.
  1: (document) => {
    const compositions = Object.entries((document.compositions ?? {}) as Record<string, Record<string, unknown>>);
    const rational = compositions.map(([key, { fps, ...rest }]) => [key, { ...rest, rate: rateOfDecimal(fps) }]);
    return { ...document, version: 2, depth: "8-bit", compositions: Object.fromEntries(rational) };
  },
  // Version 2 knew one variant, no motion blur and one size of nested compositions; solo, which is of the preview
  // alone, was part of it.
  2: (document) => ({
    ...document,
    version: 3,
    variants: [{ composition: document.main, name: "Original" }],
    compositions: withLayers(document, layerOfVersion3),
  }),
  // In version 3 a layer's own time began with its range where it shows media, else with the composition, and nested
  // compositions were always blended as one picture.
  3: (document) => ({ ...document, version: 4, compositions: withLayers(document, layerOfVersion4) }),
};

// What states of a history have in common they have in common afterwards.
const ofVersion4 = new WeakMap<object, object>();

function layerOfVersion4(layer: object): object {
  const known = ofVersion4.get(layer);
  if (known) return known;
  const { source, range } = layer as {
    source?: { kind?: unknown; parameters?: object };
    range?: { in?: unknown };
  };
  const isMedia = ["clip", "sequence", "composition"].includes(source?.kind as string);
  const nested = source?.kind === "composition" && {
    source: { ...source, parameters: { ...source.parameters, blending: "As one picture" } },
  };
  const changed = { ...layer, start: isMedia ? range?.in : 0, ...nested };
  ofVersion4.set(layer, changed);
  return changed;
}

/** The compositions of a document with each layer changed; what is none is left for the check. */
function withLayers(document: Versioned, change: (layer: object) => object): object {
  const compositions = Object.entries((document.compositions ?? {}) as Record<string, { layers?: unknown } | null>);
  const changed = compositions.map(([key, composition]) => [
    key,
    Array.isArray(composition?.layers)
      ? { ...composition, layers: composition.layers.map((layer: object) => change(layer)) }
      : composition,
  ]);
  return Object.fromEntries(changed) as object;
}

function layerOfVersion3(layer: object & { source?: unknown }): object {
  const { solo: _, ...rest } = layer as { solo?: unknown; source?: { kind?: unknown; parameters?: object } };
  const nested = rest.source?.kind === "composition" && {
    source: { ...rest.source, parameters: { ...rest.source.parameters, rendered: "100 %" } },
  };
  return { ...rest, motionBlur: NO_MOTION_BLUR, ...nested };
}

/** 23.976, 29.97 and 59.94 stand for the exact rates over 1001. */
function rateOfDecimal(fps: unknown): unknown {
  if (typeof fps !== "number") return fps;
  const whole = Math.round(fps);
  if (Math.abs(fps - (whole * 1000) / 1001) < 0.005 && whole !== fps)
    return { numerator: whole * 1000, denominator: 1001 };
  return { numerator: Math.round(fps * 1000), denominator: 1000 };
}

/**
 * Brings a document of an earlier version to this one, without checking what it holds.
 * @throws DocumentError when it is no document, or one of a newer version
 */
export function migrateDocument(value: unknown): unknown {
  if (typeof value !== "object" || value === null)
    throw new DocumentError(["A composition file holds one JSON object"]);
  const { format, version } = value as { format?: unknown; version?: unknown };
  if (format !== DOCUMENT_FORMAT) {
    throw new DocumentError([`format: expected "${DOCUMENT_FORMAT}", found ${JSON.stringify(format) ?? "nothing"}`]);
  }
  if (typeof version !== "number" || !Number.isInteger(version) || version < 1) {
    throw new DocumentError([
      `version: expected a whole number from 1 to ${DOCUMENT_VERSION}, found ${JSON.stringify(version) ?? "nothing"}`,
    ]);
  }
  if (version > DOCUMENT_VERSION) {
    throw new DocumentError([
      `version: ${version} was written by a newer release; this one reads up to version ${DOCUMENT_VERSION}`,
    ]);
  }
  let document = value as Versioned;
  while (document.version < DOCUMENT_VERSION) document = MIGRATIONS[document.version]!(document);
  return document;
}
