import { formToKeep, type ClipAsset, type Depth, type FormatTrial, type GraphicsResult } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import type { DecodeResult } from "../engine/media/decoding";
import type { MeasuredForms } from "../engine/diskStore";
import type { ParallelPoint } from "../engine/protocol/event";
import { database } from "./database";
import type { LocationView } from "./locations";

/** What was measured with. */
interface Subject {
  readonly id: string;
  readonly name: string;
}

/** Something that was measured: when, and with which composition. */
interface Measured {
  readonly atMs: number;
  readonly of: Subject;
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

interface Trials {
  readonly graphicsTrial: GraphicsTrial;
  readonly parallelTrial: ParallelTrial;
  readonly decodingTrial: DecodingTrial;
  readonly formatTrial: FormatTrials;
}

/** Keeps what was measured last; the one before it is forgotten. */
export async function keepTrial<Key extends keyof Trials>(
  key: Key,
  { id, name }: Subject,
  found: Omit<Trials[Key], keyof Measured>,
): Promise<void> {
  await database.settings.put({ key, value: { ...found, atMs: Date.now(), of: { id, name } } });
}

/** Keeps what formats do at a location, beside what is known of others with the same frames. */
export async function keepFormats(
  subject: Subject,
  { fraction, depth }: Pick<FormatTrials, "fraction" | "depth">,
  results: readonly FormatTrial[],
): Promise<void> {
  const before = formatsOf(await readTrial("formatTrial"), subject.id, { fraction, depth });
  const fresh = new Set(results.map(({ location }) => location));
  const others = before.filter(({ location }) => !fresh.has(location));
  await keepTrial("formatTrial", subject, { fraction, depth, results: [...others, ...results] });
}

/** What was measured with frames of a composition at a size and depth; nothing where the last trial was of others. */
export function formatsOf(
  trials: FormatTrials | undefined,
  document: string,
  { fraction, depth }: Pick<FormatTrials, "fraction" | "depth">,
): readonly FormatTrial[] {
  const isAlike = trials?.of.id === document && trials.fraction === fraction && trials.depth === depth;
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

/** What was measured last, if anything. */
export async function readTrial<Key extends keyof Trials>(key: Key): Promise<Trials[Key] | undefined> {
  return (await database.settings.get(key))?.value as Trials[Key] | undefined;
}

/** The same, followed; undefined while it is read, too. */
export function useTrial<Key extends keyof Trials>(key: Key): Trials[Key] | undefined {
  return useLiveQuery(() => readTrial(key), [key]);
}

/** Measures how fast each device decodes a clip, and keeps that. */
export async function measureDecoding(subject: Subject, clip: ClipAsset): Promise<void> {
  // The reader of clip files is large, and few people need it here.
  const { tryDecoding } = await import("../engine/media/decodeTrial");
  const place = clip.file && (await database.media.get(clip.file.fingerprint))?.place;
  await keepTrial("decodingTrial", subject, { results: await tryDecoding(clip, place) });
}
