import path from "node:path";
import type { HistoryEntry } from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";

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
    return new History(
      await JsonFile.open(
        path.join(data, "sweep-history.json"),
        { format: "kinetocache-sweep-history", version: 1 },
        schema,
        [],
      ),
    );
  }

  get all(): readonly HistoryEntry[] {
    return this.file.value;
  }

  async add(entry: HistoryEntry): Promise<void> {
    await this.file
      .change((all) => [...all, entry].slice(-MOST_ENTRIES))
      // The files are where they are; a drive without room takes only the note of it.
      .catch((error: unknown) => console.warn(`The history was not written: ${String(error)}`));
  }
}
