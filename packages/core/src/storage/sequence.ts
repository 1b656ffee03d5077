import type { Depth, FrameNumber, Rate } from "../composition";
import type { FrameFormat } from "../formats";
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
  /** How files that were brought in were numbered; an export gets the same names. */
  readonly numbering?: Numbering;
  /** Whether every picture is there and was read back. */
  readonly complete: boolean;
  /** What it was made from, for whoever made it. */
  readonly about: string;
  readonly createdMs: number;
}

/** Numbers in the names of files. */
export interface Numbering {
  /** That of frame 0. */
  readonly first: number;
  /** Digits that a number has at least, filled up with zeros. */
  readonly digits: number;
}

/** Names of files that were not brought in: from 0001. */
export const OWN_NUMBERING: Numbering = { first: 1, digits: 4 };

// A number of more digits is none.
export const MOST_DIGITS = 9;

/** What is given to make one. */
export type NewSequence = Omit<SequenceManifest, "format" | "version" | "id" | "complete" | "createdMs">;

/** A sequence as it is now. */
export interface SequenceState extends SequenceManifest {
  readonly location: string;
  readonly folder: string;
  readonly stored: number;
  readonly bytes: Bytes;
}

/** Name of the file of a frame: `name.0001.png`, `name.-0001.png`. */
export function numberedName(
  name: string,
  frame: FrameNumber,
  extension: string,
  { first, digits }: Numbering = OWN_NUMBERING,
): string {
  const number = first + frame;
  return `${name}.${number < 0 ? "-" : ""}${String(Math.abs(number)).padStart(digits, "0")}.${extension}`;
}

/** A file of a numbered sequence, as its name says. */
export interface NumberedFile<T> {
  readonly number: number;
  /** How many the number is written with. */
  readonly digits: number;
  readonly file: T;
}

/** Numbered files in order, counted from the lowest number. */
export interface NumberedSequence<T> {
  /** What stands before the number. */
  readonly name: string;
  readonly first: number;
  /** That every number is written with at least: longer ones are not filled up. */
  readonly digits: number;
  readonly files: readonly NumberedFile<T>[];
  /** Numbers between the lowest and the highest for which there is no file, counted from the lowest. */
  readonly gaps: readonly FrameNumber[];
  /** Files that do not belong to it. */
  readonly others: readonly T[];
}

// A sequence has at most so many frames; what is numbered farther off, such as a time stamp, is no part of it.
const MOST_FRAMES = 1_000_000;
const NOT_NUMBERED = /\D/;

/** Which sequence a file's name belongs to, and its number there: the last one in the name, which may be negative. */
function numbered(
  name: string,
): { readonly group: string; readonly number: number; readonly digits: number } | undefined {
  const dot = name.lastIndexOf(".");
  if (dot < 0 || /\d/.test(name.slice(dot))) return undefined;
  let start = dot;
  while (start > 0 && dot - start <= MOST_DIGITS && !NOT_NUMBERED.test(name[start - 1]!)) start--;
  if (start === dot || dot - start > MOST_DIGITS) return undefined;
  // A hyphen after another separator is a sign; after anything else it separates.
  const isNegative = name[start - 1] === "-" && (start === 1 || /[._ -]/.test(name[start - 2]!));
  const before = name.slice(0, isNegative ? start - 1 : start);
  const value = Number(name.slice(start, dot));
  const group = `${before}|${name.slice(dot).toLowerCase()}`;
  return { group, number: isNegative ? -value : value, digits: dot - start };
}

/** The most of some sorted numbers that lie near enough to each other to be one sequence. */
function nearest<T>(sorted: readonly NumberedFile<T>[]): readonly NumberedFile<T>[] {
  let [best, length] = [0, 0];
  for (let start = 0, end = 0; start < sorted.length; start++) {
    while (end < sorted.length && sorted[end]!.number - sorted[start]!.number < MOST_FRAMES) end++;
    if (end - start > length) [best, length] = [start, end - start];
  }
  return sorted.slice(best, best + length);
}

/**
 * Puts numbered files in order. The number is the last one in the name; the files that most of them share the rest
 * of the name with are the sequence. Of two with one number the first counts.
 * @returns undefined when no name holds a number
 */
export function sequenceOf<T>(
  files: readonly { readonly name: string; readonly file: T }[],
): NumberedSequence<T> | undefined {
  const groups = new Map<string, Map<number, NumberedFile<T>>>();
  for (const { name, file } of files) {
    const found = numbered(name);
    if (!found) continue;
    let members = groups.get(found.group);
    if (!members) groups.set(found.group, (members = new Map()));
    if (!members.has(found.number)) members.set(found.number, { number: found.number, digits: found.digits, file });
  }
  const [largest] = [...groups].sort(([, a], [, b]) => b.size - a.size);
  if (!largest) return undefined;
  const [group, members] = largest;
  const sorted = nearest([...members.values()].sort((a, b) => a.number - b.number));
  const first = sorted[0]!.number;
  const gaps: FrameNumber[] = [];
  for (const [index, { number }] of sorted.entries())
    for (let missing = (sorted[index - 1]?.number ?? number) + 1; missing < number; missing++)
      gaps.push(missing - first);
  const own = new Set(sorted.map(({ file }) => file));
  return {
    name: group.slice(0, group.indexOf("|")).replace(/[._ -]+$/, "") || "Sequence",
    first,
    digits: sorted.reduce((least, { digits }) => Math.min(least, digits), MOST_DIGITS),
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
