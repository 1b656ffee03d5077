import { lstat, readdir, readFile } from "node:fs/promises";
import path from "node:path";
import type { Bytes, Drive, DriveKind, Milliseconds } from "@kinetocache/core";
import Joi from "joi";
import { makeDataFolder } from "../files/jsonFile";
import { isInside } from "./drives";
import { REAL_MEDIUM, type Medium } from "./medium";

/** A drive that is made up: capacity, pace and temper of a folder. */
export interface DriveModel {
  readonly name: string;
  readonly kind: DriveKind;
  readonly totalBytes: Bytes;
  /** What other files are said to take. */
  readonly otherBytes: Bytes;
  /** Bytes a second. */
  readonly readRate: number;
  readonly writeRate: number;
  /** Before each transfer. */
  readonly latencyMs: Milliseconds;
  /** On top of it, when another transfer is under way: the heads go to and fro. */
  readonly seekMs: Milliseconds;
  /** Every so many transfers it does not answer for a while. */
  readonly stall?: { readonly everyTransfers: number; readonly ms: Milliseconds };
}

const bytes = Joi.number().integer().min(0).required();
const rate = Joi.number().positive().required();
const ms = Joi.number().min(0).required();
const schema = Joi.object<DriveModel & { format: string; version: number }>({
  format: Joi.string().valid("kinetocache-drive").required(),
  version: Joi.number().valid(1).required(),
  name: Joi.string().max(80).required(),
  kind: Joi.string().valid("solid state", "spinning", "removable", "network", "memory").required(),
  totalBytes: bytes,
  otherBytes: bytes,
  readRate: rate,
  writeRate: rate,
  latencyMs: ms,
  seekMs: ms,
  stall: Joi.object({ everyTransfers: Joi.number().integer().min(1).required(), ms }),
});

/** A folder that behaves as its model says: one transfer after the other, each as long as the model's would take. */
export class SimulatedDrive implements Medium {
  private readonly occupants = new Set<() => Bytes>();
  /** In files on it that no occupant answers for. */
  private unclaimedBytes: Bytes = 0;
  private freeAtMs: Milliseconds = 0;
  private transfers = 0;

  constructor(
    readonly id: string,
    readonly folder: string,
    private readonly model: DriveModel,
  ) {}

  async freeBytes(): Promise<Bytes> {
    // What it lies on has to have the room too.
    return Math.max(0, Math.min(this.model.totalBytes - this.usedBytes, await REAL_MEDIUM.freeBytes(this.folder)));
  }

  private get usedBytes(): Bytes {
    let taken = this.model.otherBytes + this.unclaimedBytes;
    for (const occupant of this.occupants) taken += occupant();
    return taken;
  }

  /** Counts the files that are on it, and which of them nobody answers for. */
  async count(): Promise<void> {
    const bytes = await bytesIn(this.folder);
    let claimed = 0;
    for (const occupant of this.occupants) claimed += occupant();
    this.unclaimedBytes = Math.max(0, bytes - claimed);
  }

  totalBytes(): Promise<Bytes> {
    return Promise.resolve(this.model.totalBytes);
  }

  /** What an occupant has when it comes was on the drive before, and what it has when it leaves stays. */
  occupy(bytes: () => Bytes): () => void {
    this.occupants.add(bytes);
    this.unclaimedBytes = Math.max(0, this.unclaimedBytes - bytes());
    return () => {
      if (this.occupants.delete(bytes)) this.unclaimedBytes += bytes();
    };
  }

  async transfer<T>(kind: "read" | "write", size: Bytes, work: () => Promise<T>): Promise<T> {
    const until = this.reserve(kind, size);
    const result = await work();
    const left = until - performance.now();
    if (left > 0) await new Promise((resolve) => setTimeout(resolve, left));
    return result;
  }

  /** When a transfer that is asked for now ends. */
  private reserve(kind: "read" | "write", size: Bytes): Milliseconds {
    const { model } = this;
    const now = performance.now();
    const seekMs = this.freeAtMs > now ? model.seekMs : 0;
    const isStalled = model.stall && ++this.transfers % model.stall.everyTransfers === 0;
    const paceMs = (size * 1000) / (kind === "read" ? model.readRate : model.writeRate);
    this.freeAtMs = Math.max(now, this.freeAtMs) + model.latencyMs + seekMs + paceMs + (isStalled ? model.stall.ms : 0);
    return this.freeAtMs;
  }

  async describe(locations: readonly string[]): Promise<Drive> {
    const { name, kind, totalBytes } = this.model;
    const freeBytes = await this.freeBytes();
    return {
      mount: this.folder,
      device: name,
      kind,
      totalBytes,
      freeBytes,
      usedBytes: this.usedBytes,
      isSystem: false,
      simulated: true,
      locations,
    };
  }
}

/** Of all files below a folder. What goes away meanwhile counts nothing. */
async function bytesIn(folder: string): Promise<Bytes> {
  let bytes = 0;
  for (const entry of await readdir(folder, { withFileTypes: true })) {
    const at = path.join(folder, entry.name);
    if (entry.isDirectory()) bytes += await bytesIn(at);
    else if (entry.isFile()) bytes += (await lstat(at).catch(() => undefined))?.size ?? 0;
  }
  return bytes;
}

/** The simulated drives that ship with the product, each with a folder of its own. */
export class SimulatedDrives {
  private constructor(readonly drives: readonly SimulatedDrive[]) {}

  /**
   * @param models folder with a file for each drive @param place folder in which theirs are made
   * @throws Error that names the file, when one cannot be read
   */
  static async open(models: string, place: string): Promise<SimulatedDrives> {
    const names = (await readdir(models)).filter((name) => name.endsWith(".json")).sort();
    const drives = names.map(async (name) => {
      const id = path.basename(name, ".json");
      const folder = path.join(place, id);
      await makeDataFolder(folder);
      try {
        const model = Joi.attempt(JSON.parse(await readFile(path.join(models, name), "utf8")), schema) as DriveModel;
        return new SimulatedDrive(id, folder, model);
      } catch (cause) {
        throw new Error(`${name}: ${(cause as Error).message}`, { cause });
      }
    });
    return new SimulatedDrives(await Promise.all(drives));
  }

  /** The simulated drive that a folder lies on. */
  of(folder: string): SimulatedDrive | undefined {
    return this.drives.find((drive) => isInside(folder, drive.folder));
  }
}
