import { createHash } from "node:crypto";
import { crc32 } from "node:zlib";
import {
  sequenceSchema,
  type Bytes,
  type ContentKey,
  type FrameNumber,
  type SequenceManifest,
  type SequenceState,
} from "@kinetocache/core";
import Joi from "joi";
import PQueue from "p-queue";
import { GONE, type Folder } from "../files/folder";
import { Problem } from "../http/problem";
import { allocatedBytes } from "../volumes/frameFile";
import type { Volume } from "../volumes/volume";

/** A picture of a sequence as its record says. */
interface StoredPicture {
  readonly size: Bytes;
  readonly crc: number;
  /** Key of what it shows; empty for one that was brought in. */
  readonly key: ContentKey | "";
}

const MANIFEST = "sequence.json";
const RECORDS = "frames.txt";

const BEGUN = ".begun";
const LARGEST_MANIFEST = 16 * 2 ** 20;
const LARGEST_RECORDS = 256 * 2 ** 20;
/** Folder of a location in which its sequences are. */
export const SEQUENCES = "sequences";
const OWN_FILES = /^(sequence\.json(\.new)?|frames\.txt|\d{6,}\.(pam|qoi|exr))$/;

/**
 * Finishes a removal, or the beginning of a sequence, that was cut short.
 * @param name of a folder among the sequences @returns whether it was left over from one
 */
export function finishCutShort(sequences: Folder, name: string): boolean {
  if (!name.endsWith(GONE) && !name.endsWith(BEGUN)) return false;
  removeOwn(sequences, name);
  return true;
}

/** Removes the files of a sequence; where others stay, the folder gets its own name back, if that is free. */
function removeOwn(sequences: Folder, name: string): void {
  const folder = sequences.enter(name);
  let isEmpty: boolean;
  try {
    for (const one of folder.entries()) if (one.isFile() && OWN_FILES.test(one.name)) folder.remove(one.name);
    isEmpty = folder.names().length === 0;
  } finally {
    folder.close();
  }
  const own = name.replace(/\.(begun|gone)$/, "");
  if (isEmpty) sequences.removeFolder(name);
  else if (!sequences.stat(own)) sequences.move(name, sequences, own);
}

/**
 * A numbered sequence in a folder of its own: `sequence.json` says what it is, `frames.txt` has a line for each
 * picture with its size, checksum and key, and the pictures are numbered files. A picture counts when its line is
 * there, and a line is written when its file is.
 */
export class Sequence {
  private readonly pictures = new Map<FrameNumber, StoredPicture>();
  private total: Bytes = 0;
  /** Lines are written one after the other. */
  private readonly records = new PQueue({ concurrency: 1 });

  private constructor(
    private manifest: SequenceManifest,
    private readonly volume: Volume,
  ) {}

  static create(manifest: SequenceManifest, volume: Volume): Promise<Sequence> {
    return volume.place.use((root) => {
      const sequences = root.make(SEQUENCES);
      try {
        // A folder under its own name always has its manifest.
        const begun = manifest.id + BEGUN;
        sequences.makeFolder(begun);
        const folder = sequences.enter(begun);
        try {
          folder.replace(MANIFEST, [textOf(manifest)]);
        } finally {
          folder.close();
        }
        sequences.move(begun, sequences, manifest.id);
      } finally {
        sequences.close();
      }
      return new Sequence(manifest, volume);
    });
  }

  /** @param name of its folder @throws Error when its manifest cannot be read */
  static async open(name: string, volume: Volume): Promise<Sequence> {
    return volume.place.use(async (root) => {
      const folder = root.enter(`${SEQUENCES}/${name}`);
      try {
        const text = folder.read(MANIFEST, LARGEST_MANIFEST).toString();
        const manifest = Joi.attempt(JSON.parse(text), sequenceSchema) as SequenceManifest;
        if (manifest.id !== name) throw new Error(`its manifest is of ${manifest.id}`);
        const sequence = new Sequence(manifest, volume);
        await sequence.load(folder);
        return sequence;
      } finally {
        folder.close();
      }
    });
  }

  /** Path of its folder. */
  get folder(): string {
    return `${this.volume.root}/${SEQUENCES}/${this.id}`;
  }

  private async load(folder: Folder): Promise<void> {
    const text = folder.stat(RECORDS) ? folder.read(RECORDS, LARGEST_RECORDS).toString() : "";
    // A line that was broken off is of a picture that is made again; what follows starts on a line of its own.
    if (text !== "" && !text.endsWith("\n")) await append(folder, "\n");
    for (const line of text.split("\n")) {
      const match = /^(\d+) (\d+) ([0-9a-f]{8}) ([0-9a-f]{32}|-)$/.exec(line);
      if (!match) continue;
      const [, number, size, crc, key] = match;
      this.note(Number(number), {
        size: Number(size),
        crc: Number.parseInt(crc!, 16),
        key: key === "-" ? "" : key!,
      });
    }
  }

  get id(): string {
    return this.manifest.id;
  }

  /** Space that its files take. */
  get bytes(): Bytes {
    return this.total;
  }

  state(location: string): SequenceState {
    return { ...this.manifest, location, folder: this.folder, stored: this.pictures.size, bytes: this.total };
  }

  /** Numbers of the pictures that are stored, each with its key. */
  keys(): [FrameNumber, ContentKey | ""][] {
    return [...this.pictures].map(([number, { key }]): [FrameNumber, ContentKey | ""] => [number, key]);
  }

  /**
   * Stores a picture; one of that number that was there before gives way.
   * @throws Problem 400 for a number it has not, 409 when it is complete, or as `Volume.store`
   */
  async write(
    number: FrameNumber,
    key: ContentKey | "",
    size: Bytes,
    content: AsyncIterable<Uint8Array>,
  ): Promise<void> {
    const { frames, complete } = this.manifest;
    if (number >= frames) throw new Problem(400, "invalid", `frame: the sequence has frames 0 to ${frames - 1}`);
    if (complete) throw new Problem(409, "complete", "The sequence is complete; make a new one to change it");
    await this.volume.store(size, content, async (root, temporary, name, crc) => {
      const folder = root.enter(`${SEQUENCES}/${this.id}`);
      try {
        await temporary.moved(name, folder, this.fileOf(number));
        await this.record(folder, number, { size, crc, key });
      } finally {
        folder.close();
      }
    });
  }

  private async record(folder: Folder, number: FrameNumber, picture: StoredPicture): Promise<void> {
    const { size, crc, key } = picture;
    const line = `${number} ${size} ${crc.toString(16).padStart(8, "0")} ${key || "-"}\n`;
    await this.records.add(() => append(folder, line));
    this.note(number, picture);
  }

  private note(number: FrameNumber, picture: StoredPicture): void {
    const before = this.pictures.get(number);
    this.total += allocatedBytes(picture.size) - (before ? allocatedBytes(before.size) : 0);
    this.pictures.set(number, picture);
  }

  /**
   * The file of a picture, checked against its record. Nothing is removed: another process may be repairing it.
   * @throws Problem 404 when it is not there, 409 when it was altered
   */
  async read(number: FrameNumber): Promise<Buffer> {
    const { content, crc } = await this.readUnchecked(number);
    if (crc32(content) !== crc) throw this.altered(number);
    return content;
  }

  /** That a picture is not what was stored. */
  altered(number: FrameNumber): Problem {
    return new Problem(409, "altered", `${this.nameOf(number)}: its file was altered`);
  }

  private nameOf(number: FrameNumber): string {
    return `Frame ${number} of "${this.manifest.name}"`;
  }

  /**
   * The file of a picture for whoever checks it against its CRC-32 himself.
   * @throws Problem 404 when it is not there, 409 when its length is another
   */
  async readUnchecked(number: FrameNumber): Promise<{ readonly content: Buffer; readonly crc: number }> {
    const picture = this.pictures.get(number);
    const name = this.nameOf(number);
    if (!picture) throw new Problem(404, "not-stored", `${name} is not stored`);
    const content = await this.volume
      .readFile([SEQUENCES, this.id], this.fileOf(number), picture.size)
      .catch((error: NodeJS.ErrnoException) => {
        if (error.code !== "ENOENT" && error.code !== "ELOOP") throw error;
      });
    if (!content) throw new Problem(404, "missing", `${name}: its file is gone`);
    if (content.length !== picture.size) throw this.altered(number);
    return { content, crc: picture.crc };
  }

  /**
   * Reads every picture back and marks the sequence as complete.
   * @param isPicture whether a stored frame can be read @returns a digest of all pictures @throws Problem 409 that names what is missing or altered
   */
  async complete(isPicture: (content: Uint8Array) => Promise<boolean> | boolean): Promise<string> {
    const { frames, gaps } = this.manifest;
    const missing = new Set(gaps);
    const bad: FrameNumber[] = [];
    const digest = createHash("sha256");
    for (let number = 0; number < frames; number++) {
      if (missing.has(number)) continue;
      const content = await this.read(number).catch((error: unknown) => {
        if (!(error instanceof Problem)) throw error;
      });
      if (!content || !(await isPicture(content))) bad.push(number);
      else digest.update(`${number} ${this.pictures.get(number)!.crc}\n`);
    }
    if (bad.length > 0) {
      for (const number of bad) this.forget(number);
      throw new Problem(
        409,
        "incomplete",
        `${bad.length} of ${frames} frames are missing or altered: ${bad.slice(0, 20).join(", ")}`,
      );
    }
    const manifest = { ...this.manifest, complete: true };
    await this.volume.place.use((root) => {
      const folder = root.enter(`${SEQUENCES}/${this.id}`);
      try {
        folder.replace(MANIFEST, [textOf(manifest)]);
      } finally {
        folder.close();
      }
    });
    this.manifest = manifest;
    return digest.digest("hex").slice(0, 32);
  }

  private forget(number: FrameNumber): void {
    const picture = this.pictures.get(number);
    if (!picture) return;
    this.pictures.delete(number);
    this.total -= allocatedBytes(picture.size);
  }

  /** Removes its folder with everything that is its own; other files in it stay, with the folder. */
  remove(): Promise<void> {
    return this.volume.place.use((root) => {
      const sequences = root.enter(SEQUENCES);
      try {
        // Under this name it is no sequence any more, whatever is left of it.
        sequences.move(this.id, sequences, this.id + GONE);
        removeOwn(sequences, this.id + GONE);
      } finally {
        sequences.close();
      }
    });
  }

  /** Name of a picture's file. */
  private fileOf(number: FrameNumber): string {
    return `${String(number).padStart(6, "0")}.${this.manifest.fileFormat}`;
  }
}

function textOf(manifest: SequenceManifest): string {
  return `${JSON.stringify(manifest, null, 1)}\n`;
}

async function append(folder: Folder, line: string): Promise<void> {
  const file = await folder.appendFile(RECORDS);
  try {
    await file.write(line);
    await file.datasync();
  } finally {
    await file.close();
  }
}
