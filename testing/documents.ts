import { readFileSync } from "node:fs";
import path from "node:path";
import {
  DOCUMENT_FORMAT,
  DOCUMENT_VERSION,
  EFFECTS,
  NO_MOTION_BLUR,
  SOURCES,
  type Document,
  type EffectKind,
  type Layer,
  type Parameters,
  type ParameterValues,
  type ReferencedClip,
  type SourceKind,
} from "@kinetocache/core";

function defaults(specs: Parameters): ParameterValues {
  return Object.fromEntries(
    Object.entries(specs).map(([name, spec]) => [name, "default" in spec ? spec.default : "none"]),
  );
}

/** A layer over all of 24 frames with a source's default values. */
export function layer(id: string, kind: SourceKind, values: ParameterValues = {}, change: Partial<Layer> = {}): Layer {
  return {
    id,
    name: id,
    enabled: true,
    range: { in: 0, out: 24 },
    start: 0,
    source: { kind, parameters: { ...defaults(SOURCES[kind].parameters), ...values } },
    transform: { x: 0, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 },
    opacity: 1,
    blend: "normal",
    effects: [],
    motionBlur: NO_MOTION_BLUR,
    ...change,
  };
}

export function effect(kind: EffectKind, values: ParameterValues = {}): Layer["effects"][number] {
  return {
    id: kind.toLowerCase(),
    kind,
    enabled: true,
    parameters: { ...defaults(EFFECTS[kind].parameters), ...values },
  };
}

/** A document of one composition, 64 × 36, 24 frames at 24 frames per second. */
export function document(layers: readonly Layer[], change: Partial<Document> = {}): Document {
  const composition = {
    id: "main",
    name: "Main",
    width: 64,
    height: 36,
    rate: { numerator: 24, denominator: 1 },
    duration: 24,
    layers,
  };
  return {
    format: DOCUMENT_FORMAT,
    version: DOCUMENT_VERSION,
    id: "main",
    depth: "8-bit",
    main: "main",
    variants: [{ composition: "main", name: "Original" }],
    compositions: { main: composition },
    assets: {},
    ...change,
  };
}

/** The text of a composition of the demo. */
export function demoText(id: string): string {
  return readFileSync(path.join(process.cwd(), "demo/compositions", `${id}.json`), "utf8");
}

/** A clip of two seconds of 64 × 36 that stays where it is. @param file what differs of its file */
export function referencedClip(
  change: Partial<ReferencedClip> = {},
  file: Partial<ReferencedClip["file"]> = {},
): ReferencedClip {
  const known = { name: "dawn.mp4", bytes: 9, modifiedMs: 1, fingerprint: "0".repeat(32), codec: "avc1.640028" };
  const rate = { numerator: 25, denominator: 1 };
  return { kind: "clip", width: 64, height: 36, rate, duration: 50, ...change, file: { ...known, ...file } };
}
