import { readFile, rename, writeFile } from "node:fs/promises";
import Joi from "joi";

/** A value that is kept in a file of its own, and replaced as a whole. */
export class JsonFile<T> {
  /** When what was written last is there, or could not be. */
  private written: Promise<unknown> = Promise.resolve();

  private constructor(
    private readonly file: string,
    private current: T,
  ) {}

  /** A file that cannot be used is put aside, not overwritten. @param initial stands where there is no file */
  static async open<T>(file: string, schema: Joi.Schema<T>, initial: T): Promise<JsonFile<T>> {
    const text = await readFile(file, "utf8").catch((error: NodeJS.ErrnoException) => {
      if (error.code !== "ENOENT") throw error;
    });
    if (text === undefined) return new JsonFile(file, initial);
    try {
      return new JsonFile(file, Joi.attempt(JSON.parse(text), schema) as T);
    } catch (error) {
      await rename(file, `${file}.damaged`);
      console.error(`${file} could not be read and was put aside as ${file}.damaged:`, error);
      return new JsonFile(file, initial);
    }
  }

  get value(): T {
    return this.current;
  }

  /** Values follow one another: the last one stands, whoever writes at the same time. */
  replace(value: T): Promise<void> {
    this.current = value;
    const writing = this.written.then(() => replaceFile(this.file, value));
    this.written = writing.catch(() => undefined);
    return writing;
  }
}

/** Writes JSON under another name first, so that the file is always whole. */
export async function replaceFile(file: string, value: unknown): Promise<void> {
  const temporary = `${file}.new`;
  await writeFile(temporary, `${JSON.stringify(value, null, 1)}\n`);
  await rename(temporary, file);
}
