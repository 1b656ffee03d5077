import { access, constants, realpath } from "node:fs/promises";
import path from "node:path";
import type { Bytes, ContentKey, LocationCondition } from "@kinetocache/core";
import Joi from "joi";
import type { Medium } from "../drives/medium";
import { Folder } from "../files/folder";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";
import type { PlaceRegistry } from "../places/placeRegistry";
import { SequenceFolder } from "../sequences/sequenceFolder";
import { Holding } from "../sweep/holding";
import { VolumeKeeper } from "../sweep/volumeKeeper";
import { InUseError } from "./ownership";
import { Volume, type ReadFrame, type VolumeState } from "./volume";

/** Frames are stored there, or only media is read from there. */
export type Holds = "frames" | "media";

/** A folder that the user registered. */
interface Registered {
  readonly id: string;
  readonly folder: string;
  readonly holds: Holds;
}

export interface LocationState extends Registered {
  readonly condition: LocationCondition;
  /** Of an open one that holds frames. */
  readonly volume?: VolumeState;
}

/** A volume that is open, with the frames swept from it. */
export interface OpenLocation {
  readonly id: string;
  readonly volume: Volume;
  readonly holding: Holding;
  readonly sequences: SequenceFolder;
}

interface Member extends Registered {
  open?: OpenLocation;
  /** The attempt that is under way: several may ask at once. */
  opening?: Promise<void>;
  condition: LocationCondition;
}

/** The location that is always there, in the data folder. */
const MAIN_LOCATION = "main";

const MARKER = "kinetocache-location.json";
const LARGEST_MARK = 4096;
const registeredSchema = Joi.array<readonly Registered[]>().items(
  Joi.object({
    id: Joi.string()
      .pattern(/^[0-9a-z-]{1,40}$/)
      .required(),
    folder: Joi.string().required(),
    holds: Joi.string().valid("frames", "media").required(),
  }),
);

/**
 * The folders in which frames are kept and from which media is read. One that cannot be opened stays listed with the
 * reason, and is tried again; the others go on.
 */
export class Locations {
  private readonly members = new Map<string, Member>();

  private constructor(
    private readonly file: JsonFile<readonly Registered[]>,
    private readonly mediumOf: (folder: string) => Medium,
    private readonly registry: PlaceRegistry,
  ) {
    registry.add(() => this.folders().map(({ folder, holds }) => ({ folder, use: holds })));
  }

  /**
   * @param data folder with the main location and the list of the others
   * @throws Error when the main location is in use by another process
   */
  static async open(data: string, mediumOf: (folder: string) => Medium, registry: PlaceRegistry): Promise<Locations> {
    const locations = new Locations(
      await JsonFile.open(
        path.join(data, "locations.json"),
        { format: "kinetocache-locations", version: 1 },
        registeredSchema,
        [],
      ),
      mediumOf,
      registry,
    );
    const main = { id: MAIN_LOCATION, folder: path.join(data, "volume"), holds: "frames" as const };
    for (const registered of [main, ...locations.file.value]) {
      const member: Member = { ...registered, condition: { kind: "missing", detail: "" } };
      locations.members.set(registered.id, member);
      await locations.tryToOpen(member);
    }
    // Two servers with the same data would undo what the other does.
    const { condition } = locations.members.get(MAIN_LOCATION)!;
    if (condition.kind === "in use") throw new InUseError(condition.detail);
    return locations;
  }

  async close(): Promise<void> {
    for (const { volume } of this.open()) await volume.close();
  }

  /** Every location as it is now; what is gone is noticed, and what is back is opened. */
  async list(): Promise<LocationState[]> {
    return Promise.all([...this.members.values()].map((member) => this.stateOf(member)));
  }

  private async stateOf(member: Member): Promise<LocationState> {
    if (!member.open) await this.tryToOpen(member);
    else member.condition = { kind: "open" };
    const { id, folder, holds } = member;
    try {
      const volume = await member.open?.volume.state();
      return { id, folder, holds, condition: member.condition, volume };
    } catch (error) {
      if (isGone(error)) await this.lose(member, error as Error);
      else member.condition = { kind: "refused", detail: `${folder} does not answer now: ${(error as Error).message}` };
      return { id, folder, holds, condition: member.condition };
    }
  }

  /** A volume that does not answer any more is let go, to be opened anew when it is back. */
  private async lose(member: Member, { message }: Error): Promise<void> {
    const detail = `${member.folder} is gone, with its drive or by itself (${message})`;
    const { open } = member;
    member.open = undefined;
    member.condition = { kind: "missing", detail };
    // Nothing is cleared there, whatever its settings say: it may be back with all that was in it.
    await open?.volume.leaveAsItIs().catch((error: unknown) => console.warn(`${member.folder}: ${String(error)}`));
  }

  /** The locations that can be used now. */
  open(): OpenLocation[] {
    return [...this.members.values()].flatMap(({ open }) => open ?? []);
  }

  folders(): Registered[] {
    return [...this.members.values()].map(({ id, folder, holds }) => ({ id, folder, holds }));
  }

  /** What the frames in the locations take, by their path. */
  sizes(): [string, Bytes][] {
    return [...this.members.values()].flatMap(({ folder, open }): [string, Bytes][] =>
      open ? [[folder, open.volume.frames.index.bytes]] : [],
    );
  }

  /** @throws Problem 404 when there is none, 503 when it cannot be used now */
  get(id: string): OpenLocation {
    const member = this.members.get(id);
    if (!member) throw new Problem(404, "no-location", `There is no location ${id}`);
    if (member.open) return member.open;
    const { condition } = member;
    const detail = condition.kind === "open" ? `${member.folder} holds media, not frames` : condition.detail;
    throw new Problem(503, "missing", detail);
  }

  /**
   * A frame from whichever open location holds it.
   * @throws Problem 404 when none does, or it was found damaged and has been removed
   */
  async read(key: ContentKey): Promise<ReadFrame & { readonly location: string }> {
    const holder = this.open().find(({ volume }) => volume.frames.has(key));
    if (!holder) throw new Problem(404, "not-held", `No frame ${key} is held on disk`);
    try {
      return { ...(await holder.volume.read(key)), location: holder.id };
    } catch (error) {
      // It may have been moved between the look and the reading; what failed no longer lists it.
      const isElsewhere = this.open().some(({ volume }) => volume !== holder.volume && volume.frames.has(key));
      if (!(error instanceof Problem && error.status === 404 && isElsewhere)) throw error;
      return this.read(key);
    }
  }

  /**
   * Adds a folder.
   * @throws Problem 400 when it does not fit, 403 when it may not be used, 404 when there is none, 409 when it
   *   overlaps another location, holds other files, or is in use by another process
   */
  register(folder: string, holds: Holds): Promise<LocationState> {
    return this.registry.inTurn(async () => {
      const real = holds === "media" ? await this.registry.accept(folder, holds, "folder") : await this.makeFor(folder);
      const id = await this.newId(real);
      const registered: Registered = { id, folder: real, holds };
      const member: Member = { ...registered, condition: { kind: "open" } };
      if (holds === "frames") {
        const mark = { format: "kinetocache-location", version: 1, id };
        await Folder.with(real, (root) => root.replace(MARKER, [`${JSON.stringify(mark)}\n`]));
        member.open = await this.openVolume(registered, (error) => void this.lose(member, error));
      }
      try {
        await this.file.change((all) => [...all, registered]);
      } catch (error) {
        await member.open?.volume.leaveAsItIs();
        throw error;
      }
      this.members.set(id, member);
      return this.stateOf(member);
    });
  }

  /** Takes a location off the list; its files stay where they are. @throws Problem 404, 409 for the main one */
  async unregister(id: string): Promise<void> {
    const member = this.members.get(id);
    if (!member) throw new Problem(404, "no-location", `There is no location ${id}`);
    if (id === MAIN_LOCATION)
      throw new Problem(409, "main", "The main location stays: it is what is left when all others are gone");
    this.members.delete(id);
    await member.open?.volume.close();
    await this.file.change((all) => all.filter((one) => one.id !== id));
  }

  /** A folder for frames: one that is there, or a new one in a folder that is. @returns its path without links */
  private async makeFor(folder: string): Promise<string> {
    if (!path.isAbsolute(folder)) throw new Problem(400, "invalid", "folder: a full path is needed");
    const above = await realpath(path.dirname(folder)).catch(() => {
      throw new Problem(404, "no-folder", `There is no folder ${path.dirname(folder)}; make it first`);
    });
    const name = path.basename(folder);
    // What leads elsewhere is used where it leads.
    const real = await realpath(path.resolve(above, name)).catch(() => path.resolve(above, name));
    await this.registry.check(real, "frames", "folder");
    const isNew = await Folder.with(path.dirname(real), (parent) => makeIn(parent, path.basename(real)));
    try {
      await this.registry.accept(real, "frames", "folder");
      await checkFree(real);
      return real;
    } catch (error) {
      if (isNew) await Folder.with(path.dirname(real), (parent) => parent.removeFolder(path.basename(real)));
      throw error;
    }
  }

  /** The id that the folder had before, where it is free; a new one otherwise. */
  private async newId(folder: string): Promise<string> {
    const before = await markedId(folder).catch(() => undefined);
    return before !== undefined && !this.members.has(before) ? before : crypto.randomUUID();
  }

  private tryToOpen(member: Member): Promise<void> {
    member.opening ??= this.attempt(member).finally(() => (member.opening = undefined));
    return member.opening;
  }

  private async attempt(member: Member): Promise<void> {
    if (member.holds === "media") {
      member.condition = await access(member.folder, constants.R_OK).then(
        (): LocationCondition => ({ kind: "open" }),
        (): LocationCondition => ({ kind: "missing", detail: `${member.folder} cannot be read` }),
      );
      return;
    }
    try {
      // Without the mark the drive is not attached: what is there is the empty place for it.
      if (member.id !== MAIN_LOCATION) await markedId(member.folder);
      member.open = await this.openVolume(member, (error) => void this.lose(member, error));
      member.condition = { kind: "open" };
    } catch (error) {
      const { code, message } = error as NodeJS.ErrnoException;
      if (error instanceof InUseError) member.condition = { kind: "in use", detail: message };
      else if (code === "ENOENT")
        member.condition = { kind: "missing", detail: `${member.folder} is gone, with its drive or by itself` };
      else member.condition = { kind: "refused", detail: `${member.folder} cannot be opened: ${message}` };
    }
  }

  private async openVolume({ id, folder }: Registered, onLost: (error: Error) => void): Promise<OpenLocation> {
    const volume = await Volume.open(folder, { medium: this.mediumOf(folder), onLost });
    try {
      const sequences = await SequenceFolder.open(volume);
      const holding = Holding.open(folder, "holding", new VolumeKeeper(volume, sequences));
      volume.room.holding = holding;
      return { id, volume, holding, sequences };
    } catch (error) {
      await volume.leaveAsItIs();
      throw error;
    }
  }
}

/** The id in the mark of a folder that holds frames. @throws Error where there is none, or it is a link */
async function markedId(folder: string): Promise<string | undefined> {
  // Asked in a way that holds up nobody when the drive does not answer.
  await access(folder);
  return Folder.with(folder, (root) => {
    const text = root.read(MARKER, LARGEST_MARK).toString();
    return /"id":"([0-9a-z-]{1,40})"/.exec(text)?.[1];
  });
}

/** Whether an error means that a drive was taken off. Any other may pass, and closes nothing. */
function isGone(error: unknown): boolean {
  return ["ENOENT", "ENODEV", "ENXIO", "ESTALE"].includes((error as NodeJS.ErrnoException).code ?? "");
}

/** @returns whether it was not there before @throws Problem 400, 403 */
function makeIn(parent: Folder, name: string): boolean {
  const found = parent.stat(name);
  if (found?.isDirectory()) return false;
  if (found) throw new Problem(400, "invalid", `folder: ${parent.path}/${name} is not a folder`);
  try {
    parent.makeFolder(name);
    return true;
  } catch (error) {
    throw new Problem(403, "not-writable", `${parent.path}/${name} cannot be made: ${(error as Error).message}`);
  }
}

/** @throws Problem 403 when a folder may not be written, 409 when it holds other files than frames */
async function checkFree(real: string): Promise<void> {
  await access(real, constants.R_OK | constants.W_OK).catch(() => {
    throw new Problem(403, "not-writable", `${real} may not be written`);
  });
  const entries = await Folder.with(real, (root) => root.names());
  if (entries.length > 0 && !entries.includes(MARKER))
    throw new Problem(409, "not-empty", `${real} holds other files; choose an empty folder, or one that held frames`);
}
