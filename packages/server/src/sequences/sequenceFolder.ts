import { mkdir, readdir } from "node:fs/promises";
import path from "node:path";
import { SEQUENCE_FORMAT, SEQUENCE_VERSION, type Bytes, type NewSequence } from "@kinetocache/core";
import type { Volume } from "../volumes/volume";
import { finishCutShort, Sequence } from "./sequence";

/** The stored sequences of a location. */
export class SequenceFolder {
  private readonly sequences = new Map<string, Sequence>();

  private constructor(private readonly volume: Volume) {
    volume.sequenceBytes = () => this.bytes;
  }

  static async open(volume: Volume): Promise<SequenceFolder> {
    const folder = new SequenceFolder(volume);
    const names = await readdir(folder.path).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== "ENOENT") throw error;
      return [];
    });
    for (const name of names) {
      try {
        if (await finishCutShort(path.join(folder.path, name))) continue;
        const sequence = await Sequence.open(path.join(folder.path, name), volume);
        if (sequence.id === name) folder.sequences.set(name, sequence);
      } catch (error) {
        // It stays where it is: somebody may know what it is.
        console.warn(`${path.join(folder.path, name)} is not listed as a sequence: ${(error as Error).message}`);
      }
    }
    return folder;
  }

  private get path(): string {
    return path.join(this.volume.root, "sequences");
  }

  private get bytes(): Bytes {
    let total = 0;
    for (const sequence of this.sequences.values()) total += sequence.bytes;
    return total;
  }

  all(): Sequence[] {
    return [...this.sequences.values()];
  }

  get(id: string): Sequence | undefined {
    return this.sequences.get(id);
  }

  async create(described: NewSequence): Promise<Sequence> {
    await mkdir(this.path, { recursive: true });
    const id = crypto.randomUUID();
    const format = { format: SEQUENCE_FORMAT, version: SEQUENCE_VERSION } as const;
    const manifest = { ...format, id, ...described, complete: false, createdMs: Date.now() };
    const sequence = await Sequence.create(path.join(this.path, id), manifest, this.volume);
    this.sequences.set(id, sequence);
    return sequence;
  }

  /** Notes that a sequence was moved away. */
  noteGone(id: string): void {
    this.sequences.delete(id);
  }

  /** Notes that a sequence is in its place again. */
  async noteBack(id: string): Promise<void> {
    this.sequences.set(id, await Sequence.open(path.join(this.path, id), this.volume));
  }

  async remove(id: string): Promise<void> {
    const sequence = this.sequences.get(id);
    if (!sequence) return;
    this.sequences.delete(id);
    await sequence.remove();
  }
}
