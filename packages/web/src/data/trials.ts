import {
  DECODE_DEVICES,
  DEPTHS,
  formToKeep,
  PACKINGS,
  RENDER_DEVICES,
  type ClipAsset,
  type Depth,
  type FormatTrial,
  type GraphicsResult,
} from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import Joi from "joi";
import type { DecodeResult } from "../engine/clip/decoding";
import type { MeasuredForms } from "../engine/diskStore";
import type { ParallelPoint } from "../engine/protocol/event";
import { database } from "./database";
import type { LocationView } from "./locations";

/** Something that was measured: when, and on which composition. */
interface Measured {
  readonly atMs: number;
  readonly composition: string;
}

/** A trial of the graphics devices. */
export interface GraphicsTrial extends Measured {
  readonly fraction: number;
  readonly parallel: number;
  readonly results: readonly GraphicsResult[];
}

/** The rate against frames in parallel. */
interface ParallelTrial extends Measured {
  readonly points: readonly ParallelPoint[];
}

/** How fast clips are decoded. */
interface DecodingTrial extends Measured {
  readonly results: readonly DecodeResult[];
}

/** What formats do at each location that was tried with frames of one composition at one size. */
export interface FormatTrials extends Measured {
  readonly fraction: number;
  /** In which the composition was rendered: other depths are kept in other formats. */
  readonly depth: Depth;
  readonly results: readonly FormatTrial[];
}

const measured = { atMs: Joi.number().required(), composition: Joi.string().required() };
const positive = Joi.number().positive().required();
const failure = Joi.string().required();
const device = Joi.string()
  .valid(...RENDER_DEVICES)
  .required();
const on = Joi.string()
  .valid(...DECODE_DEVICES)
  .required();

const SCHEMAS = {
  graphicsTrial: Joi.object<GraphicsTrial>({
    ...measured,
    fraction: positive,
    parallel: positive,
    results: Joi.array()
      .items(
        Joi.object({ device, failure }),
        Joi.object({
          device,
          rate: positive,
          frames: positive,
          nodes: Joi.array()
            .items(Joi.object({ kind: Joi.string().required(), ms: Joi.number().required() }))
            .required(),
          nodesTimed: Joi.boolean().required(),
          difference: Joi.number(),
        }),
      )
      .required(),
  }),
  parallelTrial: Joi.object<ParallelTrial>({
    ...measured,
    points: Joi.array()
      .items(Joi.object({ parallel: positive, rate: positive }))
      .min(1)
      .required(),
  }),
  decodingTrial: Joi.object<DecodingTrial>({
    ...measured,
    results: Joi.array()
      .items(Joi.object({ on, failure }), Joi.object({ on, rate: positive }))
      .required(),
  }),
  formatTrial: Joi.object<FormatTrials>({
    ...measured,
    fraction: positive,
    depth: Joi.string()
      .valid(...DEPTHS)
      .required(),
    results: Joi.array()
      .items(
        Joi.object({
          location: Joi.string().required(),
          packing: Joi.string()
            .valid(...PACKINGS)
            .required(),
          frames: positive,
          pixelBytes: positive,
          storedBytes: positive,
          writeRate: positive,
          readRate: positive,
          readRates: Joi.array().items(positive).min(1).required(),
        }),
      )
      .required(),
  }),
};

type Trials = { [Key in keyof typeof SCHEMAS]: (typeof SCHEMAS)[Key] extends Joi.ObjectSchema<infer T> ? T : never };

/** Keeps what was measured last; the one before it is forgotten. */
export async function keepTrial<Key extends keyof Trials>(
  key: Key,
  composition: string,
  found: Omit<Trials[Key], keyof Measured>,
): Promise<void> {
  await database.settings.put({ key, value: { ...found, atMs: Date.now(), composition } });
}

/** Keeps what formats do at a location, beside what is known of others with the same frames. */
export async function keepFormats(
  composition: string,
  { fraction, depth }: Pick<FormatTrials, "fraction" | "depth">,
  results: readonly FormatTrial[],
): Promise<void> {
  const before = formatsOf(await readTrial("formatTrial"), composition, { fraction, depth });
  const fresh = new Set(results.map(({ location }) => location));
  const others = before.filter(({ location }) => !fresh.has(location));
  await keepTrial("formatTrial", composition, { fraction, depth, results: [...others, ...results] });
}

/** What was measured with frames of a composition at a size and depth; nothing where the last trial was of others. */
export function formatsOf(
  trials: FormatTrials | undefined,
  composition: string,
  { fraction, depth }: Pick<FormatTrials, "fraction" | "depth">,
): readonly FormatTrial[] {
  const isAlike = trials?.composition === composition && trials.fraction === fraction && trials.depth === depth;
  return isAlike ? trials.results : [];
}

/** What the format in use at a location was measured to do. */
export function formatInUse(location: LocationView, formats: readonly FormatTrial[]): FormatTrial | undefined {
  const packing = location.contents?.settings.packing;
  return formats.find((trial) => trial.location === location.id && trial.packing === packing);
}

/** By location, what automatic packing keeps of a composition at a size and depth, as far as that was measured. */
export function measuredForms(...of: Parameters<typeof formatsOf>): MeasuredForms {
  const formats = formatsOf(...of);
  const plainOnes = formats.filter(({ packing }) => packing === "plain");
  return Object.fromEntries(
    plainOnes.flatMap((plain) => {
      const packed = formats.find(({ location, packing }) => location === plain.location && packing === "packed");
      return packed ? [[plain.location, formToKeep(plain, packed)]] : [];
    }),
  );
}

/** What was measured last; undefined where there is nothing, or what is kept is damaged. */
export async function readTrial<Key extends keyof Trials>(key: Key): Promise<Trials[Key] | undefined> {
  const { error, value } = SCHEMAS[key].validate((await database.settings.get(key))?.value);
  return error ? undefined : (value as Trials[Key] | undefined);
}

/** The same, followed; undefined while it is read, too. */
export function useTrial<Key extends keyof Trials>(key: Key): Trials[Key] | undefined {
  return useLiveQuery(() => readTrial(key), [key]);
}

/** Measures how fast each device decodes a clip, and keeps that. */
export async function measureDecoding(composition: string, clip: ClipAsset): Promise<void> {
  // The reader of clip files is large, and few people need it here.
  const { tryDecoding } = await import("../engine/clip/decodeTrial");
  await keepTrial("decodingTrial", composition, { results: await tryDecoding(clip) });
}
