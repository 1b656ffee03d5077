import { createWriteStream } from "node:fs";
import { mkdir, readdir, rename, rm, stat } from "node:fs/promises";
import path from "node:path";
import type { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import type { HandedComposition, Original, WrapProject } from "@kinetocache/core";
import Joi from "joi";
import type { Locations } from "../volumes/locations";
import { freeName, projectOriginal } from "./gathered";

const sequenceId = Joi.string().max(64);
export const handedSchema = Joi.object<HandedComposition>({
  name: Joi.string().min(1).max(400).required(),
  sequences: Joi.array()
    .max(10_000)
    .items(Joi.object({ id: sequenceId.required(), name: Joi.string().min(1).max(400).required() }))
    .required(),
  bakes: Joi.array().max(10_000).items(sequenceId).required(),
});

/** A composition of this application, as it is wrapped. */
export interface WrappedComposition extends HandedComposition, WrapProject {
  /** Owner of its frames. */
  readonly id: string;
}

/** Compositions of this application that are to be wrapped: the page that has them hands over the file of each. */
export class HandedOver {
  private readonly byFile = new Map<string, WrappedComposition>();

  private constructor(
    private readonly folder: string,
    private readonly locations: Locations,
  ) {}

  /** @param data folder of the server's data; what was handed over before is let go */
  static async open(data: string, locations: Locations): Promise<HandedOver> {
    const folder = path.join(data, "wrapping");
    await rm(folder, { recursive: true, force: true });
    return new HandedOver(folder, locations);
  }

  get(file: string): WrappedComposition | undefined {
    return this.byFile.get(file);
  }

  /** Takes what a composition has. @param id letters, digits and hyphens @returns the full path that its file is to have */
  take(id: string, handed: HandedComposition): WrapProject {
    const file = this.fileOf(id);
    this.byFile.set(file, { ...handed, id, file });
    return { file, name: handed.name };
  }

  /** And its file. */
  async takeFile(id: string, content: Readable): Promise<void> {
    await mkdir(this.folder, { recursive: true });
    const file = this.fileOf(id);
    await pipeline(content, createWriteStream(`${file}.new`));
    await rename(`${file}.new`, file);
  }

  /**
   * Its file, and the pictures that were brought in for it; all other media is in the file.
   * @throws Problem 404 when its file was not handed over
   */
  async originals({ file, sequences }: WrappedComposition): Promise<Original[]> {
    const originals = [await projectOriginal(file)];
    const taken = new Set<string>();
    for (const { id, name } of sequences) {
      const folder = this.folderOf(id);
      if (folder === undefined) {
        originals.push({ file: id, reference: name, kind: "media", bytes: 0, state: "missing" });
        continue;
      }
      // What it is called is not to lead elsewhere.
      const below = freeName(name.replace(/[/\\\0]/g, "_").replace(/^\.+/, "_"), taken);
      for (const one of (await readdir(folder)).sort()) {
        const picture = path.join(folder, one);
        const { size } = await stat(picture);
        const to = `media/${below}/${one}`;
        originals.push({ file: picture, reference: `${name}/${one}`, kind: "media", bytes: size, state: "there", to });
      }
    }
    return originals;
  }

  private fileOf(id: string): string {
    return path.join(this.folder, `${id}.json`);
  }

  private folderOf(id: string): string | undefined {
    return this.locations
      .open()
      .map(({ sequences }) => sequences.get(id)?.folder)
      .find((folder) => folder !== undefined);
  }
}
