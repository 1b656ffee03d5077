import { SEQUENCE_FORMAT, SEQUENCE_VERSION, type Bytes, type NewSequence } from "@kinetocache/core";
import type { Folder } from "../files/folder";
import type { Volume } from "../volumes/volume";
import { finishCutShort, Sequence, SEQUENCES } from "./sequence";

/** The stored sequences of a location. */
export class SequenceFolder {
  private readonly sequences = new Map<string, Sequence>();

  private constructor(private readonly volume: Volume) {
    volume.room.sequenceBytes = () => this.bytes;
  }

  static async open(volume: Volume): Promise<SequenceFolder> {
    const folder = new SequenceFolder(volume);
    await volume.place.use(async (root) => {
      if (!root.stat(SEQUENCES)) return;
      const sequences = root.enter(SEQUENCES);
      try {
        for (const name of sequences.names()) await folder.openOne(sequences, name);
      } finally {
        sequences.close();
      }
    });
    return folder;
  }

  private async openOne(sequences: Folder, name: string): Promise<void> {
    try {
      if (!finishCutShort(sequences, name)) this.sequences.set(name, await Sequence.open(name, this.volume));
    } catch (error) {
      // It stays where it is: somebody may know what it is.
      console.warn(`${sequences.path}/${name} is not listed as a sequence: ${(error as Error).message}`);
    }
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
    const id = crypto.randomUUID();
    const format = { format: SEQUENCE_FORMAT, version: SEQUENCE_VERSION } as const;
    const manifest = { ...format, id, ...described, complete: false, createdMs: Date.now() };
    const sequence = await Sequence.create(manifest, this.volume);
    this.sequences.set(id, sequence);
    return sequence;
  }

  /** Notes that a sequence was moved away. */
  noteGone(id: string): void {
    this.sequences.delete(id);
  }

  /** Notes that a sequence is in its place again. */
  async noteBack(id: string): Promise<void> {
    this.sequences.set(id, await Sequence.open(id, this.volume));
  }

  async remove(id: string): Promise<void> {
    const sequence = this.sequences.get(id);
    if (!sequence) return;
    this.sequences.delete(id);
    await sequence.remove();
  }
}
