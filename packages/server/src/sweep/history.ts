import path from "node:path";
import type { Bytes } from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";

/** Something that was swept, brought back, or let go. */
export interface HistoryEntry {
  /** Milliseconds since the epoch. */
  readonly atMs: number;
  readonly what: "swept" | "brought back" | "emptied";
  /** The user, or the name of what ran by itself. */
  readonly by: string;
  readonly batch: string;
  /** Path of the place. */
  readonly place: string;
  readonly items: number;
  readonly files: number;
  readonly bytes: Bytes;
  readonly projects: readonly string[];
  /** What stayed where it was. */
  readonly skipped: number;
  /** Of what was emptied: free bytes of the drive, measured before and after. */
  readonly freeBefore?: Bytes;
  readonly freeAfter?: Bytes;
}

const MOST_ENTRIES = 2000;

const count = Joi.number().min(0).required();
const schema = Joi.array<readonly HistoryEntry[]>().items(
  Joi.object({
    atMs: Joi.number().required(),
    what: Joi.string().valid("swept", "brought back", "emptied").required(),
    by: Joi.string().required(),
    batch: Joi.string().required(),
    place: Joi.string().required(),
    items: count,
    files: count,
    bytes: count,
    projects: Joi.array().items(Joi.string().allow("")).required(),
    skipped: count,
    freeBefore: Joi.number(),
    freeAfter: Joi.number(),
  }),
);

/** What happened, newest last, in a file of the data folder. */
export class History {
  private constructor(private readonly file: JsonFile<readonly HistoryEntry[]>) {}

  static async open(data: string): Promise<History> {
    return new History(await JsonFile.open(path.join(data, "sweep-history.json"), schema, []));
  }

  get all(): readonly HistoryEntry[] {
    return this.file.value;
  }

  async add(entry: HistoryEntry): Promise<void> {
    await this.file
      .replace([...this.all, entry].slice(-MOST_ENTRIES))
      // The files are where they are; a drive without room takes only the note of it.
      .catch((error: unknown) => console.warn(`The history was not written: ${String(error)}`));
  }
}
