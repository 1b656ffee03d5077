import { mkdir, readFile, rename, writeFile } from "node:fs/promises";
import path from "node:path";
import type { DriveTest } from "@kinetocache/core";
import Joi from "joi";

const MOST_TESTS = 500;

const positive = Joi.number().positive().required();
const schema = Joi.array<DriveTest[]>().items(
  Joi.object({
    mount: Joi.string().required(),
    atMs: positive,
    frames: positive,
    frameBytes: positive,
    writeRate: positive,
    readRate: positive,
    frameMs: positive,
    direct: Joi.boolean().required(),
  }),
);

/** Measurements of drives, oldest first, in a file of the data folder. */
export class DriveLog {
  private constructor(
    private readonly file: string,
    private tests: readonly DriveTest[],
  ) {}

  /** A file that cannot be used is put aside, not overwritten. */
  static async open(folder: string): Promise<DriveLog> {
    await mkdir(folder, { recursive: true });
    const file = path.join(folder, "drive-tests.json");
    const text = await readFile(file, "utf8").catch((error: NodeJS.ErrnoException) => {
      if (error.code !== "ENOENT") throw error;
    });
    if (text === undefined) return new DriveLog(file, []);
    try {
      return new DriveLog(file, Joi.attempt(JSON.parse(text), schema) as DriveTest[]);
    } catch (error) {
      await rename(file, `${file}.damaged`);
      console.error(`${file} could not be read and was put aside as ${file}.damaged:`, error);
      return new DriveLog(file, []);
    }
  }

  get all(): readonly DriveTest[] {
    return this.tests;
  }

  async add(test: DriveTest): Promise<void> {
    this.tests = [...this.tests, test].slice(-MOST_TESTS);
    const temporary = `${this.file}.new`;
    await writeFile(temporary, `${JSON.stringify(this.tests, null, 1)}\n`);
    await rename(temporary, this.file);
  }
}
