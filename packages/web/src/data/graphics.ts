import { DECODE_DEVICES, RENDER_DEVICES, type ClipAsset, type GraphicsResult } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import Joi from "joi";
import useSWRImmutable from "swr/immutable";
import { hardwareCodecs, type DecodeResult } from "../engine/clip/decoding";
import { findAdapters, type Adapter } from "../engine/gpu/adapters";
import { database } from "./database";

/** The last measured trial of the graphics devices, and what it was measured on. */
export interface StoredTrial {
  readonly atMs: number;
  readonly composition: string;
  readonly fraction: number;
  readonly parallel: number;
  readonly results: readonly GraphicsResult[];
}

const device = Joi.string()
  .valid(...RENDER_DEVICES)
  .required();

const schema = Joi.object<StoredTrial>({
  atMs: Joi.number().required(),
  composition: Joi.string().required(),
  fraction: Joi.number().required(),
  parallel: Joi.number().required(),
  results: Joi.array()
    .items(
      Joi.object({ device, failure: Joi.string().required() }),
      Joi.object({
        device,
        rate: Joi.number().required(),
        frames: Joi.number().required(),
        nodes: Joi.array()
          .items(Joi.object({ kind: Joi.string().required(), ms: Joi.number().required() }))
          .required(),
        nodesTimed: Joi.boolean().required(),
        difference: Joi.number(),
      }),
    )
    .required(),
});

export async function keepGraphicsTrial(trial: StoredTrial): Promise<void> {
  await database.settings.put({ key: "graphicsTrial", value: trial });
}

/** Undefined while there is none. */
export function useGraphicsTrial(): StoredTrial | undefined {
  return useLiveQuery(async () => {
    const { error, value } = schema.validate((await database.settings.get("graphicsTrial"))?.value);
    return error ? undefined : value;
  });
}

/** The graphics devices of the browser; undefined while they are being looked up. */
export function useAdapters(): { readonly adapters: readonly Adapter[] | undefined; readonly failure?: Error } {
  const { data, error } = useSWRImmutable<Adapter[], Error>("graphics adapters", findAdapters);
  return { adapters: data, failure: error };
}

/** The last measurement of decoding, and of which composition's clip. */
export interface StoredDecoding {
  readonly atMs: number;
  readonly composition: string;
  readonly results: readonly DecodeResult[];
}

const on = Joi.string()
  .valid(...DECODE_DEVICES)
  .required();

const decodingSchema = Joi.object<StoredDecoding>({
  atMs: Joi.number().required(),
  composition: Joi.string().required(),
  results: Joi.array()
    .items(Joi.object({ on, failure: Joi.string().required() }), Joi.object({ on, rate: Joi.number().required() }))
    .required(),
});

/** Measures how fast each device decodes a clip, and keeps that. */
export async function measureDecoding(composition: string, clip: ClipAsset): Promise<void> {
  // The reader of clip files is large, and few people need it here.
  const { tryDecoding } = await import("../engine/clip/decodeTrial");
  const value: StoredDecoding = { atMs: Date.now(), composition, results: await tryDecoding(clip) };
  await database.settings.put({ key: "decodingTrial", value });
}

/** Undefined while there is none. */
export function useDecodingTrial(): StoredDecoding | undefined {
  return useLiveQuery(async () => {
    const { error, value } = decodingSchema.validate((await database.settings.get("decodingTrial"))?.value);
    return error ? undefined : value;
  });
}

/** Codecs that a graphics device decodes; undefined while that is being found out. */
export function useHardwareCodecs(): readonly string[] | undefined {
  return useSWRImmutable<string[], Error>("hardware codecs", hardwareCodecs).data;
}
