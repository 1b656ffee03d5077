import path from "node:path";
import type { FileHandle } from "node:fs/promises";
import {
  DOCUMENT_FORMAT,
  KEPT_FREE,
  type Bytes,
  type HandedComposition,
  type Original,
  type WrapProject,
} from "@kinetocache/core";
import Joi from "joi";
import { REAL_MEDIUM } from "../drives/medium";
import { Folder } from "../files/folder";
import { Problem } from "../http/problem";
import type { Locations } from "../volumes/locations";
import { freeName, projectOriginal } from "./gathered";

/** Folder of the server's data for what is handed over. */
const FOLDER = "wrapping";
// Each may hold clips of gigabytes; one that is wrapped is the last or one of the last.
const MOST_HANDED = 8;
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
    private readonly data: string,
    private readonly locations: Locations,
  ) {}

  /** @param data folder of the server's data; what was handed over before is let go */
  static async open(data: string, locations: Locations): Promise<HandedOver> {
    await Folder.with(data, (root) => {
      for (const left of root.removeTree(FOLDER)) console.warn(`${left}; it stays`);
    });
    return new HandedOver(data, locations);
  }

  get(file: string): WrappedComposition | undefined {
    return this.byFile.get(file);
  }

  /** Takes what a composition has. @param id letters, digits and hyphens @returns the full path that its file is to have */
  take(id: string, handed: HandedComposition): WrapProject {
    const file = this.fileOf(id);
    // The last one stands last.
    this.byFile.delete(file);
    this.byFile.set(file, { ...handed, id, file });
    return { file, name: handed.name };
  }

  /** And its file. */
  async takeFile(id: string, size: Bytes, content: AsyncIterable<Uint8Array>): Promise<void> {
    if (!this.byFile.has(this.fileOf(id)))
      throw new Problem(404, "not-handed-over", "Say first what the composition has; its file comes then");
    if ((await REAL_MEDIUM.freeBytes(this.data)) - size < KEPT_FREE)
      throw new Problem(507, "drive-full", `The drive of ${this.data} has too little room for the composition's file`);

    await this.letGoOld();
    await Folder.with(this.data, async (root) => {
      const folder = root.make(FOLDER);
      const temporary = `${id}.json.new`;
      try {
        await folder.removed(temporary);
        const file = await folder.createFile(temporary);
        try {
          await receive(file, size, content);
        } finally {
          await file.close();
        }
        folder.move(temporary, folder, `${id}.json`);
      } finally {
        folder.remove(temporary);
        folder.close();
      }
    });
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
      await Folder.with(folder, (pictures) => {
        for (const one of pictures.names().sort()) {
          const stats = pictures.stat(one);
          if (!stats?.isFile()) continue;
          const about = { reference: `${name}/${one}`, kind: "media", bytes: stats.size, state: "there" } as const;
          originals.push({ ...about, file: `${folder}/${one}`, to: `media/${below}/${one}` });
        }
      });
    }
    return originals;
  }

  /** Lets go those that were handed over longest ago. */
  private async letGoOld(): Promise<void> {
    const old = [...this.byFile.keys()].slice(0, -MOST_HANDED);
    for (const file of old) this.byFile.delete(file);
    await Folder.with(this.data, (root) => {
      const folder = root.make(FOLDER);
      for (const file of old) folder.remove(path.basename(file));
      folder.close();
    });
  }

  private fileOf(id: string): string {
    return `${this.data}/${FOLDER}/${id}.json`;
  }

  private folderOf(id: string): string | undefined {
    return this.locations
      .open()
      .map(({ sequences }) => sequences.get(id)?.folder)
      .find((folder) => folder !== undefined);
  }
}

// As the composition menu exports it; what it holds is read by whoever imports it.
const STARTS_AS_DOCUMENT = new RegExp(`^\\s*\\{\\s*"format"\\s*:\\s*"${DOCUMENT_FORMAT}"`);

/** @throws Problem 400 when it is not as long as announced, or no composition */
async function receive(file: FileHandle, size: Bytes, content: AsyncIterable<Uint8Array>): Promise<void> {
  let received = 0;
  for await (const piece of content) {
    if (received === 0 && !STARTS_AS_DOCUMENT.test(Buffer.from(piece.subarray(0, 200)).toString()))
      throw new Problem(400, "invalid", "body: this is no composition as the composition menu exports it");
    received += piece.length;
    if (received > size) break;
    await file.writeFile(piece);
  }
  if (received !== size) throw new Problem(400, "wrong-length", `Expected ${size} bytes, received ${received}`);
}
