import { randomBytes } from "node:crypto";
import { access, mkdir, readdir, rename, rm, stat } from "node:fs/promises";
import path from "node:path";
import type { Bytes, ContentKey, Milliseconds } from "@kinetocache/core";
import { Problem } from "../http/problem";
import { allocatedBytes, parseName } from "../volumes/frameFile";
import type { Volume } from "../volumes/volume";
import { Journal, type Move } from "./journal";

/** Files that were swept together. */
export interface Batch {
  readonly id: string;
  /** When they were swept, in milliseconds since the epoch. */
  readonly sweptMs: number;
  readonly frames: number;
  readonly bytes: Bytes;
  readonly rebuildMs: Milliseconds;
  readonly owners: readonly string[];
}

const BATCH_ID = /^(\d{13})-[0-9a-f]{8}$/;

/**
 * Where swept files wait: `holding/<batch>/<owner>/<name>` on the volume's own drive, so that a move is a
 * rename. Moves run one after another; each is in the journal before it starts.
 */
export class Holding {
  private readonly batches = new Map<string, string[]>();
  private readonly sizes = new Map<string, Bytes>();
  private total = 0;
  private queue: Promise<unknown> = Promise.resolve();

  private constructor(
    private readonly volume: Volume,
    private readonly root: string,
    private readonly journal: Journal,
  ) {}

  /** Opens holding and finishes what a crash interrupted. */
  static async open(volume: Volume): Promise<Holding> {
    const root = path.join(volume.root, "holding");
    await mkdir(root, { recursive: true });
    const holding = new Holding(volume, root, new Journal(path.join(volume.root, "holding.journal")));
    for (const move of await holding.journal.unfinished()) await holding.carryOut(move);
    await holding.journal.clear();
    await holding.load();
    volume.holdingBytes = () => holding.total;
    return holding;
  }

  has(batch: string): boolean {
    return this.batches.has(batch);
  }

  list(): Batch[] {
    return [...this.batches].map(([id, files]) => ({
      id,
      sweptMs: Number(BATCH_ID.exec(id)![1]),
      frames: files.length,
      bytes: files.reduce((sum, file) => sum + this.sizes.get(`${id}/${file}`)!, 0),
      rebuildMs: files.reduce((sum, file) => sum + parseName(path.basename(file))!.costMs, 0),
      owners: [...new Set(files.map((file) => path.dirname(file)))],
    }));
  }

  /** Moves the frames of `keys` to a new batch. @throws Problem 404 when none of them is held */
  async hold(keys: readonly ContentKey[]): Promise<Batch> {
    return this.enqueue(async () => {
      const files = this.volume.relativePaths(keys);
      if (files.length === 0)
        throw new Problem(404, "nothing-to-sweep", "None of these frames is in the disk cache any more");
      const batch = `${Date.now()}-${randomBytes(4).toString("hex")}`;
      await this.run({ id: randomBytes(8).toString("hex"), kind: "hold", batch, files });
      return this.list().find(({ id }) => id === batch)!;
    });
  }

  /** Moves a batch back to its place. @throws Problem 404 */
  async restore(batch: string): Promise<void> {
    await this.enqueue(() =>
      this.run({ id: randomBytes(8).toString("hex"), kind: "restore", batch, files: this.filesOf(batch) }),
    );
  }

  /** Removes a batch for good. @throws Problem 404 */
  async empty(batch: string): Promise<void> {
    await this.enqueue(() =>
      this.run({ id: randomBytes(8).toString("hex"), kind: "empty", batch, files: this.filesOf(batch) }),
    );
  }

  private filesOf(batch: string): string[] {
    const files = this.batches.get(batch);
    if (!files) throw new Problem(404, "no-batch", `Holding has no batch ${batch}`);
    return files;
  }

  private enqueue<T>(work: () => Promise<T>): Promise<T> {
    const result = this.queue.then(work);
    this.queue = result.catch(() => undefined);
    return result;
  }

  private async run(move: Move): Promise<void> {
    await this.journal.begin(move);
    await this.carryOut(move);
    await this.journal.done(move.id);
    await this.load();
  }

  /** Carries a move out, or the rest of one: a file that is already where it should be is left there. */
  private async carryOut({ kind, batch, files }: Move): Promise<void> {
    if (!BATCH_ID.test(batch)) throw new Error(`"${batch}" in the journal is not a batch`);
    const folder = path.join(this.root, batch);
    for (const file of files) {
      if (!isFramePath(file)) throw new Error(`"${file}" in the journal is not a frame`);
      const place = path.join(this.volume.framesPath, file);
      const held = path.join(folder, file);
      if (kind === "hold") {
        await moveIfThere(place, held);
        this.volume.noteGone(file);
      } else if (kind === "restore") {
        // Rendered anew meanwhile: the key is the same, so the pixels are; the held copy goes.
        if (await exists(place)) await rm(held, { force: true });
        else await moveIfThere(held, place);
        await this.volume.noteBack(file);
      } else await rm(held, { force: true });
    }
    if (kind !== "hold") await rm(folder, { recursive: true, force: true });
  }

  private async load(): Promise<void> {
    this.batches.clear();
    this.sizes.clear();
    this.total = 0;
    for (const batch of (await readdir(this.root)).filter((name) => BATCH_ID.test(name)).sort()) {
      const files: string[] = [];
      for (const owner of await readdir(path.join(this.root, batch))) {
        for (const name of await readdir(path.join(this.root, batch, owner))) {
          const file = path.join(owner, name);
          if (!isFramePath(file)) continue;
          const bytes = allocatedBytes((await stat(path.join(this.root, batch, file))).size);
          files.push(file);
          this.sizes.set(`${batch}/${file}`, bytes);
          this.total += bytes;
        }
      }
      if (files.length > 0) this.batches.set(batch, files);
    }
  }
}

/** `<owner>/<frame file>` and nothing that leads elsewhere. */
function isFramePath(file: string): boolean {
  const [owner, name, ...rest] = file.split(path.sep);
  return rest.length === 0 && /^[a-z0-9][a-z0-9-]{0,63}$/.test(owner ?? "") && parseName(name ?? "") !== undefined;
}

async function moveIfThere(from: string, to: string): Promise<void> {
  await mkdir(path.dirname(to), { recursive: true });
  try {
    await rename(from, to);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
  }
}

async function exists(file: string): Promise<boolean> {
  return access(file).then(
    () => true,
    () => false,
  );
}
