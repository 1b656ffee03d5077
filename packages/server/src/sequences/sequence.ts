import { appendFile, mkdir, open, readdir, readFile, rename, rm } from "node:fs/promises";
import path from "node:path";
import { createHash } from "node:crypto";
import { crc32 } from "node:zlib";
import {
  readFrame,
  sequenceSchema,
  type Bytes,
  type ContentKey,
  type FrameNumber,
  type SequenceManifest,
  type SequenceState,
} from "@kinetocache/core";
import Joi from "joi";
import { replaceFile } from "../files/jsonFile";
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
const GONE = ".gone";
const OWN_FILES = /^(sequence\.json(\.new)?|frames\.txt|\d{6,}\.(pam|qoi|exr))$/;

/**
 * Finishes a removal, or the beginning of a sequence, that was cut short.
 * @returns whether the folder was left over from one
 */
export async function finishCutShort(folder: string): Promise<boolean> {
  if (!folder.endsWith(GONE) && !folder.endsWith(BEGUN)) return false;
  await removeOwn(folder);
  return true;
}

/** Removes the files of a sequence; where others stay, the folder gets its own name back. */
async function removeOwn(folder: string): Promise<void> {
  for (const name of await readdir(folder)) if (OWN_FILES.test(name)) await rm(path.join(folder, name));
  if ((await readdir(folder)).length === 0) await rm(folder, { recursive: true });
  else await rename(folder, folder.replace(/\.(begun|gone)$/, ""));
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
  private recording: Promise<void> = Promise.resolve();

  private constructor(
    readonly folder: string,
    private manifest: SequenceManifest,
    private readonly volume: Volume,
  ) {}

  static async create(folder: string, manifest: SequenceManifest, volume: Volume): Promise<Sequence> {
    // A folder under its own name always has its manifest.
    const begun = folder + BEGUN;
    await mkdir(begun);
    await replaceFile(path.join(begun, MANIFEST), manifest);
    await rename(begun, folder);
    return new Sequence(folder, manifest, volume);
  }

  /** @throws Error when its manifest cannot be read */
  static async open(folder: string, volume: Volume): Promise<Sequence> {
    const manifest = Joi.attempt(JSON.parse(await readFile(path.join(folder, MANIFEST), "utf8")), sequenceSchema);
    const sequence = new Sequence(folder, manifest as SequenceManifest, volume);
    await sequence.load();
    return sequence;
  }

  private async load(): Promise<void> {
    const records = path.join(this.folder, RECORDS);
    const text = await readFile(records, "utf8").catch((error: NodeJS.ErrnoException) => {
      if (error.code !== "ENOENT") throw error;
      return "";
    });
    // A line that was broken off is of a picture that is made again; what follows starts on a line of its own.
    if (text !== "" && !text.endsWith("\n")) await appendFile(records, "\n");
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
    await this.volume.store(size, content, async (temporary, crc) => {
      await rename(temporary, this.fileOf(number));
      await this.record(number, { size, crc, key });
    });
  }

  private async record(number: FrameNumber, picture: StoredPicture): Promise<void> {
    const { size, crc, key } = picture;
    const line = `${number} ${size} ${crc.toString(16).padStart(8, "0")} ${key || "-"}\n`;
    const written = this.recording.then(async () => {
      const file = await open(path.join(this.folder, RECORDS), "a");
      try {
        await file.write(line);
        await file.datasync();
      } finally {
        await file.close();
      }
    });
    this.recording = written.catch(() => undefined);
    await written;
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
    const picture = this.pictures.get(number);
    const name = `Frame ${number} of "${this.manifest.name}"`;
    if (!picture) throw new Problem(404, "not-stored", `${name} is not stored`);
    const content = await this.volume
      .readFile(this.fileOf(number), picture.size)
      .catch((error: NodeJS.ErrnoException) => {
        if (error.code !== "ENOENT" && error.code !== "ELOOP") throw error;
      });
    if (!content) throw new Problem(404, "missing", `${name}: its file is gone`);
    if (content.length !== picture.size || crc32(content) !== picture.crc)
      throw new Problem(409, "altered", `${name}: its file was altered`);
    return content;
  }

  /**
   * Reads every picture back and marks the sequence as complete.
   * @returns a digest of all pictures @throws Problem 409 that names what is missing or altered
   */
  async complete(): Promise<string> {
    const { frames, gaps } = this.manifest;
    const missing = new Set(gaps);
    const bad: FrameNumber[] = [];
    const digest = createHash("sha256");
    for (let number = 0; number < frames; number++) {
      if (missing.has(number)) continue;
      const content = await this.read(number).catch((error: unknown) => {
        if (!(error instanceof Problem)) throw error;
      });
      if (!content || !this.isPicture(content)) bad.push(number);
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
    this.manifest = { ...this.manifest, complete: true };
    await replaceFile(path.join(this.folder, MANIFEST), this.manifest);
    return digest.digest("hex").slice(0, 32);
  }

  private isPicture(content: Uint8Array): boolean {
    try {
      const { width, height } = readFrame(content);
      return width > 0 && height > 0;
    } catch {
      return false;
    }
  }

  private forget(number: FrameNumber): void {
    const picture = this.pictures.get(number);
    if (!picture) return;
    this.pictures.delete(number);
    this.total -= allocatedBytes(picture.size);
  }

  /** Removes its folder with everything that is its own; other files in it stay, with the folder. */
  async remove(): Promise<void> {
    // Under this name it is no sequence any more, whatever is left of it.
    const gone = this.folder + GONE;
    await rename(this.folder, gone);
    await removeOwn(gone);
  }

  private fileOf(number: FrameNumber): string {
    return path.join(this.folder, `${String(number).padStart(6, "0")}.${this.manifest.fileFormat}`);
  }
}
