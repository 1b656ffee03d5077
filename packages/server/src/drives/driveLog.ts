import path from "node:path";
import type { DriveTest } from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";

const MOST_TESTS = 500;

const positive = Joi.number().positive().required();
const schema = Joi.array<readonly DriveTest[]>().items(
  Joi.object({
    mount: Joi.string().required(),
    atMs: positive,
    frames: positive,
    frameBytes: positive,
    writeRate: positive,
    readRate: positive,
    frameMs: positive,
    readWithMediaRate: Joi.number().positive(),
    direct: Joi.boolean().required(),
  }),
);

/** Measurements of drives, oldest first, in a file of the data folder. */
export class DriveLog {
  private constructor(private readonly file: JsonFile<readonly DriveTest[]>) {}

  static async open(folder: string): Promise<DriveLog> {
    return new DriveLog(
      await JsonFile.open(
        path.join(folder, "drive-tests.json"),
        { format: "kinetocache-drive-tests", version: 1 },
        schema,
        [],
      ),
    );
  }

  get all(): readonly DriveTest[] {
    return this.file.value;
  }

  add(test: DriveTest): Promise<void> {
    return this.file.change((all) => [...all, test].slice(-MOST_TESTS));
  }
}
