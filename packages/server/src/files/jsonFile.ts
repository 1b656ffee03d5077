import { mkdir, realpath } from "node:fs/promises";
import path from "node:path";
import Joi from "joi";
import PQueue from "p-queue";
import { Folder, OWN_FOLDER } from "./folder";

/** What a file holds, and from which release on. */
export interface FileFormat {
  readonly format: string;
  readonly version: number;
}

const LARGEST_BYTES = 256 * 2 ** 20;

/**
 * A value that is kept in a file of its own, `{ format, version, content }`, or as it is where it says its format
 * itself, and replaced as a whole. What is in memory is what is on the drive: a value that could not be written does not
 * stand.
 */
export class JsonFile<T> {
  private readonly writes = new PQueue({ concurrency: 1 });

  private constructor(
    private readonly folder: string,
    private readonly name: string,
    private readonly format: FileFormat,
    private current: T,
    private isMissing = false,
  ) {}

  /**
   * A file that cannot be used is put aside, not overwritten.
   * @param file full path, without links @param initial stands where there is no file
   * @throws Error when the file is of a newer release: nothing is done with it
   */
  static async open<T>(file: string, format: FileFormat, schema: Joi.Schema<T>, initial: T): Promise<JsonFile<T>> {
    const where = path.dirname(file);
    const name = path.basename(file);
    const text = await Folder.with(where, (folder) => folder.read(name, LARGEST_BYTES).toString()).catch(
      (error: NodeJS.ErrnoException) => {
        if (error.code !== "ENOENT") throw error;
      },
    );
    if (text === undefined) return new JsonFile(where, name, format, initial, true);
    try {
      return new JsonFile(where, name, format, Joi.attempt(contentOf(text, format), schema) as T);
    } catch (error) {
      if (error instanceof NewerFile) throw new Error(`${file} ${error.message}`, { cause: error });
      const aside = await putAside(where, name);
      console.error(`${file} could not be read and was put aside as ${aside}:`, error);
      return new JsonFile(where, name, format, initial);
    }
  }

  /** Whether there is no file: nothing was ever written. */
  get isNew(): boolean {
    return this.isMissing;
  }

  get value(): T {
    return this.current;
  }

  /** Values follow one another: the last one stands, whoever writes at the same time. */
  replace(value: T): Promise<void> {
    return this.change(() => value);
  }

  /** Works out the next value from the last one that was written. @throws what `next` throws; nothing changes then */
  change(next: (value: T) => T): Promise<void> {
    return this.writes.add(async () => {
      const value = next(this.current);
      const said = saysFormat(value, this.format) ? value : { ...this.format, content: value };
      await Folder.with(this.folder, (folder) => folder.replace(this.name, [`${JSON.stringify(said, null, 1)}\n`]));
      this.current = value;
      this.isMissing = false;
    });
  }
}

class NewerFile extends Error {}

function saysFormat(value: unknown, { format }: FileFormat): value is FileFormat & { readonly content?: unknown } {
  return typeof value === "object" && value !== null && "format" in value && value.format === format;
}

function contentOf(text: string, known: FileFormat): unknown {
  const value: unknown = JSON.parse(text);
  // The first releases wrote the content alone.
  if (!saysFormat(value, known)) return value;
  if (value.version > known.version)
    throw new NewerFile(
      `was written by a newer release (version ${value.version}, this one knows ${known.version}); use that release, or move the file away`,
    );
  return "content" in value ? value.content : value;
}

/** @returns the name that it has now */
function putAside(where: string, name: string): Promise<string> {
  return Folder.with(where, (folder) => {
    let aside = `${name}.damaged`;
    for (let n = 2; folder.stat(aside); n++) aside = `${name}.damaged-${n}`;
    folder.move(name, folder, aside);
    return aside;
  });
}

/** Makes a folder for the application's own data, with those above it. @returns its path without links */
export async function makeDataFolder(folder: string): Promise<string> {
  await mkdir(folder, { recursive: true, mode: OWN_FOLDER });
  return realpath(folder);
}
