import Joi from "joi";
import type { Depth, FrameNumber, Rate } from "../composition";
import { DEPTHS } from "../composition";
import { FRAME_FORMATS, type FrameFormat } from "../formats";
import type { Bytes } from "../machine";

export const SEQUENCE_FORMAT = "kinetocache-sequence";
export const SEQUENCE_VERSION = 1;

/** What a stored sequence is: numbered pictures of one size in a folder of their own. */
export interface SequenceManifest {
  readonly format: typeof SEQUENCE_FORMAT;
  readonly version: typeof SEQUENCE_VERSION;
  readonly id: string;
  readonly name: string;
  /** Of what it holds: a bake that can be made again, or pictures that were brought in. */
  readonly kind: "bake" | "import";
  readonly width: number;
  readonly height: number;
  readonly rate: Rate;
  readonly depth: Depth;
  readonly fileFormat: FrameFormat;
  /** Numbers from 0 to before this one. */
  readonly frames: number;
  /** Numbers for which there never was a picture. */
  readonly gaps: readonly FrameNumber[];
  /** Whether every picture is there and was read back. */
  readonly complete: boolean;
  /** What it was made from, for whoever made it. */
  readonly about: string;
  readonly createdMs: number;
}

/** What is given to make one. */
export type NewSequence = Omit<SequenceManifest, "format" | "version" | "id" | "complete" | "createdMs">;

/** A sequence as it is now. */
export interface SequenceState extends SequenceManifest {
  readonly location: string;
  readonly folder: string;
  readonly stored: number;
  readonly bytes: Bytes;
}

const frame = Joi.number().integer().min(0).max(1_000_000);
const described = {
  name: Joi.string().min(1).max(120).required(),
  kind: Joi.string().valid("bake", "import").required(),
  width: Joi.number().integer().min(1).max(16384).required(),
  height: Joi.number().integer().min(1).max(16384).required(),
  rate: Joi.object({
    numerator: Joi.number().integer().min(1).max(1_000_000).required(),
    denominator: Joi.number().integer().min(1).max(1_000_000).required(),
  }).required(),
  depth: Joi.string()
    .valid(...DEPTHS)
    .required(),
  fileFormat: Joi.string()
    .valid(...FRAME_FORMATS)
    .required(),
  frames: Joi.number().integer().min(1).max(1_000_000).required(),
  gaps: Joi.array().items(frame).unique().required(),
  about: Joi.string().allow("").max(65536).required(),
};

export const newSequenceSchema = Joi.object<NewSequence>(described);

export const sequenceSchema = Joi.object<SequenceManifest>({
  ...described,
  format: Joi.string().valid(SEQUENCE_FORMAT).required(),
  version: Joi.number().valid(SEQUENCE_VERSION).required(),
  id: Joi.string()
    .pattern(/^[0-9a-z-]{1,40}$/)
    .required(),
  complete: Joi.boolean().required(),
  createdMs: Joi.number().required(),
});

/** Name of a numbered file, counted from a first number: `name.0001.png`. */
export function numberedName(name: string, number: number, extension: string): string {
  return `${name}.${String(number).padStart(4, "0")}.${extension}`;
}

/** A file of a numbered sequence, as its name says. */
export interface NumberedFile<T> {
  readonly number: number;
  readonly file: T;
}

/** Numbered files in order, counted from the lowest number. */
export interface NumberedSequence<T> {
  /** What stands before the number. */
  readonly name: string;
  readonly first: number;
  readonly files: readonly NumberedFile<T>[];
  /** Numbers between the lowest and the highest for which there is no file, counted from the lowest. */
  readonly gaps: readonly FrameNumber[];
  /** Files that do not belong to it. */
  readonly others: readonly T[];
}

/**
 * Puts numbered files in order. The number is the last one in the name; the files that most of them share the rest
 * of the name with are the sequence.
 * @returns undefined when no name holds a number
 */
export function sequenceOf<T>(
  files: readonly { readonly name: string; readonly file: T }[],
): NumberedSequence<T> | undefined {
  const groups = new Map<string, NumberedFile<T>[]>();
  for (const { name, file } of files) {
    const match = /^(.*?)(\d+)(\.[^.\d]*)$/.exec(name);
    if (!match) continue;
    const [, before, digits, after] = match;
    const group = `${before}|${after!.toLowerCase()}`;
    groups.set(group, [...(groups.get(group) ?? []), { number: Number(digits), file }]);
  }
  const [largest] = [...groups].sort(([, a], [, b]) => b.length - a.length);
  if (!largest) return undefined;
  const [group, members] = largest;
  const sorted = [...members].sort((a, b) => a.number - b.number);
  const first = sorted[0]!.number;
  const numbers = new Set(sorted.map(({ number }) => number));
  const gaps: FrameNumber[] = [];
  for (let number = first; number <= sorted.at(-1)!.number; number++)
    if (!numbers.has(number)) gaps.push(number - first);
  const own = new Set(sorted.map(({ file }) => file));
  return {
    name: group.slice(0, group.indexOf("|")).replace(/[._ -]+$/, "") || "Sequence",
    first,
    files: sorted,
    gaps,
    others: files.filter(({ file }) => !own.has(file)).map(({ file }) => file),
  };
}

/** Numbers as a person would list them: 3, 7 – 9. @param most stretches that are named; the others are counted */
export function rangesText(numbers: readonly number[], most = Infinity): string {
  const parts: string[] = [];
  const sorted = [...numbers].sort((a, b) => a - b);
  for (let at = 0; at < sorted.length;) {
    let end = at;
    while (end + 1 < sorted.length && sorted[end + 1] === sorted[end]! + 1) end++;
    parts.push(end === at ? String(sorted[at]) : `${sorted[at]} – ${sorted[end]}`);
    at = end + 1;
  }
  return parts.length > most
    ? `${parts.slice(0, most).join(", ")} and ${parts.length - most} more stretches`
    : parts.join(", ");
}
