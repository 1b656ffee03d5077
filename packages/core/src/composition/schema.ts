import Joi from "joi";
import { EASES } from "./animation";
import { EFFECTS, SOURCES, type Parameter, type Parameters } from "../drawing";
import { BLEND_MODES } from "./blend";
import {
  DEPTHS,
  DOCUMENT_FORMAT,
  DOCUMENT_VERSION,
  LARGEST_SIDE,
  LONGEST_NAME,
  MOST_ASSETS,
  MOST_COMPOSITIONS,
  MOST_EFFECTS,
  MOST_FRAMES,
  MOST_LAYERS,
  type Document,
} from "./document";
import { nestedIn } from "./document";
import { faultsOf, readJson } from "./faults";
import { DocumentError, migrateDocument } from "./migration";

const MAX_ASSET_CHARACTERS = 64 * 1024 * 1024;

const id = Joi.string().pattern(/^[a-z0-9][a-z0-9-]{0,63}$/, "lower-case letters, digits and hyphens");
const label = Joi.string().min(1).max(LONGEST_NAME);
const positive = Joi.number().integer().min(1);
const frame = Joi.number().integer().min(-MOST_FRAMES).max(MOST_FRAMES).required();

function animated(min: number, max: number): Joi.Schema {
  const value = Joi.number().min(min).max(max);
  const keyframe = Joi.object({
    frame,
    value: value.required(),
    ease: Joi.string()
      .valid(...EASES)
      .required(),
  });
  const keyframes = Joi.array()
    .items(keyframe)
    .min(1)
    .max(10_000)
    .custom((keys: { frame: number }[], helpers) => {
      const late = keys.findIndex((key, index) => index > 0 && key.frame <= keys[index - 1]!.frame);
      return late < 0
        ? keys
        : helpers.message({ custom: `{{#label}} must rise from keyframe to keyframe (number ${late} does not)` });
    })
    .required();
  return Joi.alternatives()
    .conditional(Joi.object().unknown(), { then: Joi.object({ keyframes }), otherwise: value })
    .required();
}

function parameter(spec: Parameter): Joi.Schema {
  switch (spec.type) {
    case "number":
      return animated(spec.min, spec.max);
    case "colour":
      return Joi.string()
        .pattern(/^#[0-9a-f]{6}$/, "a colour such as #1c2330")
        .required();
    case "choice":
      return Joi.string()
        .valid(...spec.options)
        .required();
    case "reference":
      return id.required();
  }
}

function kinds(table: Readonly<Record<string, { parameters: Parameters }>>, more: Joi.SchemaMap = {}): Joi.Schema {
  const parameters = Object.entries(table).map(([kind, { parameters: specs }]) => ({
    is: kind,
    then: Joi.object(
      Object.fromEntries(Object.entries(specs).map(([name, spec]) => [name, parameter(spec)])),
    ).required(),
  }));
  return Joi.object({
    ...more,
    kind: Joi.string()
      .valid(...Object.keys(table))
      .required(),
    parameters: Joi.when("kind", { switch: parameters }),
  });
}

const range = Joi.object({ in: frame, out: frame.greater(Joi.ref("in")) }).required();

const layer = Joi.object({
  id: id.required(),
  name: label.required(),
  enabled: Joi.boolean().required(),
  range,
  start: frame,
  source: kinds(SOURCES).required(),
  transform: Joi.object({
    x: animated(-65536, 65536),
    y: animated(-65536, 65536),
    anchorX: animated(-65536, 65536),
    anchorY: animated(-65536, 65536),
    scale: animated(0.001, 100),
    rotation: animated(-36000, 36000),
  }).required(),
  opacity: animated(0, 1),
  blend: Joi.string()
    .valid(...BLEND_MODES)
    .required(),
  effects: Joi.array()
    .items(kinds(EFFECTS, { id: id.required(), enabled: Joi.boolean().required() }))
    .max(MOST_EFFECTS)
    .unique("id")
    .required(),
  motionBlur: Joi.object({
    enabled: Joi.boolean().required(),
    shutter: Joi.number().min(1).max(720).required(),
    samples: Joi.number().integer().min(2).max(64).required(),
  }).required(),
});

const rate = Joi.object({
  numerator: positive.max(1_000_000).required(),
  denominator: positive.max(1_000_000).required(),
})
  .custom((value: { numerator: number; denominator: number }, helpers) => {
    const rate = value.numerator / value.denominator;
    return rate >= 1 && rate <= 240
      ? value
      : helpers.message({ custom: "{{#label}} must be from 1 to 240 frames per second" });
  })
  .required();

const composition = Joi.object({
  id: id.required(),
  name: label.required(),
  width: positive.max(LARGEST_SIDE).required(),
  height: positive.max(LARGEST_SIDE).required(),
  rate,
  duration: positive.max(MOST_FRAMES).required(),
  layers: Joi.array().items(layer).max(MOST_LAYERS).unique("id").required(),
});

const size = { width: positive.max(LARGEST_SIDE).required(), height: positive.max(LARGEST_SIDE).required() };
const base64 = Joi.string().base64().max(MAX_ASSET_CHARACTERS).required();
const hexDigits = Joi.string()
  .pattern(/^[0-9a-f]{32}$/, "32 hexadecimal digits")
  .required();
const file = Joi.object({
  name: Joi.string().min(1).max(1000).required(),
  bytes: Joi.number().integer().min(0).required(),
  modifiedMs: Joi.number().integer().min(0).required(),
  fingerprint: hexDigits,
  codec: Joi.string().min(1).max(100).required(),
  group: positive.max(MOST_FRAMES),
});
const asset = Joi.object({ kind: Joi.string().valid("svg", "png", "clip", "sequence").required() }).when(".kind", {
  switch: [
    { is: "svg", then: Joi.object({ ...size, text: Joi.string().max(MAX_ASSET_CHARACTERS).required() }) },
    { is: "png", then: Joi.object({ ...size, base64 }) },
    {
      is: "clip",
      then: Joi.object({
        ...size,
        rate,
        duration: positive.max(MOST_FRAMES).required(),
        base64: base64.optional(),
        file,
      }).xor("base64", "file"),
    },
    {
      is: "sequence",
      then: Joi.object({
        ...size,
        rate,
        duration: positive.max(MOST_FRAMES).required(),
        sequence: id.required(),
        digest: hexDigits,
        gaps: Joi.array().items(Joi.number().integer().min(0).max(MOST_FRAMES)).max(MOST_FRAMES).required(),
      }),
    },
  ],
});

const documentSchema = Joi.object({
  format: Joi.string().valid(DOCUMENT_FORMAT).required(),
  version: Joi.number().valid(DOCUMENT_VERSION).required(),
  id: id.required(),
  depth: Joi.string()
    .valid(...DEPTHS)
    .required(),
  main: id.required(),
  variants: Joi.array()
    .items(Joi.object({ composition: id.required(), name: label.required() }))
    .min(1)
    .max(50)
    .unique("composition")
    .required(),
  compositions: Joi.object().pattern(id, composition).min(1).max(MOST_COMPOSITIONS).required(),
  assets: Joi.object().pattern(id, asset).max(MOST_ASSETS).required(),
});

function references(document: Document): string[] {
  const problems: string[] = [];
  if (!Object.hasOwn(document.compositions, document.main))
    problems.push(`main: no composition has the id "${document.main}"`);
  for (const [index, { composition }] of document.variants.entries())
    if (!Object.hasOwn(document.compositions, composition))
      problems.push(`variants[${index}].composition: no composition has the id "${composition}"`);
  for (const [key, composition] of Object.entries(document.compositions)) {
    const where = `compositions.${key}`;
    if (composition.id !== key) problems.push(`${where}.id: must be "${key}", as its key says`);
    for (const [index, { source }] of composition.layers.entries()) {
      const specs: Parameters = SOURCES[source.kind].parameters;
      for (const [name, spec] of Object.entries(specs)) {
        if (spec.type !== "reference") continue;
        const target = source.parameters[name] as string;
        const isComposition = Object.hasOwn(document.compositions, target);
        const isAsset = Object.hasOwn(document.assets, target) && document.assets[target]!.kind === spec.to;
        if (!(spec.to === "composition" ? isComposition : isAsset))
          problems.push(`${where}.layers[${index}].source.parameters.${name}: there is no ${spec.to} "${target}"`);
      }
    }
  }
  return problems;
}

function nestingCycle(document: Document): string | undefined {
  const done = new Set<string>();
  const visit = (id: string, path: readonly string[]): string | undefined => {
    if (path.includes(id)) return `compositions: ${[...path.slice(path.indexOf(id)), id].join(" → ")} contains itself`;
    if (done.has(id)) return undefined;
    for (const { source } of document.compositions[id]!.layers) {
      if (source.kind !== "composition") continue;
      const cycle = visit(source.parameters.composition as string, [...path, id]);
      if (cycle) return cycle;
    }
    done.add(id);
    return undefined;
  };
  for (const id of Object.keys(document.compositions)) {
    const cycle = visit(id, []);
    if (cycle) return cycle;
  }
  return undefined;
}

function isOpenable(document: Document): boolean {
  return document.variants.some(({ composition }) => nestedIn(document, composition).includes(document.main));
}

/**
 * Checks and, from an older version, migrates a document.
 * @throws DocumentError that names every problem with its place (at most 20)
 */
export function parseDocument(value: unknown): Document {
  const migrated = migrateDocument(value);
  const { error, value: checked } = documentSchema.validate(migrated, { abortEarly: false, convert: false });
  if (error) throw new DocumentError(faultsOf(error, "document"));
  const document = checked as Document;
  const problems = references(document);
  const cycle = problems.length === 0 ? nestingCycle(document) : undefined;
  if (cycle) problems.push(cycle);
  else if (problems.length === 0 && !isOpenable(document))
    problems.push(`variants: none of them is or shows "${document.main}", which main names`);
  if (problems.length > 0) throw new DocumentError(problems.slice(0, 20));
  return document;
}

/** Parses the text of a composition file. @throws DocumentError */
export function parseDocumentText(text: string): Document {
  let value: unknown;
  try {
    value = readJson(text);
  } catch (cause) {
    throw new DocumentError([(cause as Error).message]);
  }
  return parseDocument(value);
}
