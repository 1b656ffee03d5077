import { access, constants, mkdir, readdir, readFile, realpath, rmdir, writeFile } from "node:fs/promises";
import { homedir } from "node:os";
import path from "node:path";
import type { ContentKey, LocationCondition } from "@kinetocache/core";
import Joi from "joi";
import { isInside } from "../drives/drives";
import type { Medium } from "../drives/medium";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";
import { SequenceFolder } from "../sequences/sequenceFolder";
import { Holding } from "../sweep/holding";
import { VolumeKeeper } from "../sweep/volumeKeeper";
import { InUseError, Volume, type ReadFrame, type VolumeState } from "./volume";

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
  ) {}

  /**
   * @param data folder with the main location and the list of the others
   * @throws Error when the main location is in use by another process, or cannot be opened
   */
  static async open(data: string, mediumOf: (folder: string) => Medium): Promise<Locations> {
    await mkdir(data, { recursive: true });
    const locations = new Locations(
      await JsonFile.open(path.join(data, "locations.json"), registeredSchema, []),
      mediumOf,
    );
    const main = { id: MAIN_LOCATION, folder: path.join(await realpath(data), "volume"), holds: "frames" as const };
    const open = await locations.openVolume(main);
    locations.members.set(MAIN_LOCATION, { ...main, open, condition: { kind: "open" } });
    for (const registered of locations.file.value) {
      const member: Member = { ...registered, condition: { kind: "missing", detail: "" } };
      locations.members.set(registered.id, member);
      await locations.tryToOpen(member);
    }
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
    const { id, folder, holds } = member;
    try {
      const volume = await member.open?.volume.state();
      return { id, folder, holds, condition: member.condition, volume };
    } catch (error) {
      await this.lose(member, error as NodeJS.ErrnoException);
      return { id, folder, holds, condition: member.condition };
    }
  }

  /** A volume that does not answer any more is let go, to be opened anew when it is back. */
  private async lose(member: Member, { message }: Error): Promise<void> {
    const detail = `${member.folder} is gone, with its drive or by itself (${message})`;
    const { open } = member;
    member.open = undefined;
    member.condition = { kind: "missing", detail };
    await open?.volume.close().catch((error: unknown) => console.warn(`${member.folder}: ${String(error)}`));
  }

  /** The locations that can be used now. */
  open(): OpenLocation[] {
    return [...this.members.values()].flatMap(({ open }) => open ?? []);
  }

  folders(): Registered[] {
    return [...this.members.values()].map(({ id, folder, holds }) => ({ id, folder, holds }));
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
    const holder = this.open().find(({ volume }) => volume.has(key));
    if (!holder) throw new Problem(404, "not-held", `No frame ${key} is held on disk`);
    try {
      return { ...(await holder.volume.read(key)), location: holder.id };
    } catch (error) {
      // It may have been moved between the look and the reading; what failed no longer lists it.
      const isElsewhere = this.open().some(({ volume }) => volume !== holder.volume && volume.has(key));
      if (!(error instanceof Problem && error.status === 404 && isElsewhere)) throw error;
      return this.read(key);
    }
  }

  /**
   * Adds a folder.
   * @throws Problem 400 when it does not fit, 403 when it may not be used, 404 when there is none, 409 when it
   *   overlaps another location, holds other files, or is in use by another process
   */
  async register(folder: string, holds: Holds): Promise<LocationState> {
    const real = await this.acceptFolder(folder, holds);
    const id = await this.newId(real);
    const registered: Registered = { id, folder: real, holds };
    const member: Member = { ...registered, condition: { kind: "open" } };
    if (holds === "frames") {
      await writeFile(
        path.join(real, MARKER),
        `${JSON.stringify({ format: "kinetocache-location", version: 1, id })}\n`,
      );
      member.open = await this.openVolume(registered);
    }
    this.members.set(id, member);
    await this.file.replace([...this.file.value, registered]);
    return this.stateOf(member);
  }

  /** Takes a location off the list; its files stay where they are. @throws Problem 404, 409 for the main one */
  async unregister(id: string): Promise<void> {
    const member = this.members.get(id);
    if (!member) throw new Problem(404, "no-location", `There is no location ${id}`);
    if (id === MAIN_LOCATION)
      throw new Problem(409, "main", "The main location stays: it is what is left when all others are gone");
    this.members.delete(id);
    await member.open?.volume.close();
    await this.file.replace(this.file.value.filter((one) => one.id !== id));
  }

  private async acceptFolder(folder: string, holds: Holds): Promise<string> {
    if (!path.isAbsolute(folder)) throw new Problem(400, "invalid", "folder: a full path is needed");
    // Media is where it is.
    if (holds === "media") return this.acceptExisting(folder, holds);
    // A new folder is made where the one above is there already.
    const above = await realpath(path.dirname(folder)).catch(() => {
      throw new Problem(404, "no-folder", `There is no folder ${path.dirname(folder)}; make it first`);
    });
    const isNew = await mkdir(path.join(above, path.basename(folder))).then(
      () => true,
      (error: NodeJS.ErrnoException) => {
        if (error.code === "EEXIST") return false;
        throw new Problem(403, "not-writable", `${folder} cannot be made: ${error.message}`);
      },
    );
    try {
      return await this.acceptExisting(folder, holds);
    } catch (error) {
      if (isNew) await rmdir(folder);
      throw error;
    }
  }

  private async acceptExisting(folder: string, holds: Holds): Promise<string> {
    const real = await realpath(folder).catch(() => {
      throw new Problem(404, "no-folder", `There is no folder ${folder}`);
    });
    if (path.dirname(real) === real || real === homedir())
      throw new Problem(400, "invalid", `folder: ${real} is too much; choose a folder of its own inside it`);
    const needed = holds === "frames" ? constants.R_OK | constants.W_OK : constants.R_OK;
    await access(real, needed).catch(() => {
      throw new Problem(403, "not-writable", `${real} may not be ${holds === "frames" ? "written" : "read"}`);
    });
    const entries = await readdir(real).catch(() => {
      throw new Problem(400, "invalid", `folder: ${real} is not a folder`);
    });
    for (const { folder: other } of this.members.values())
      if (isInside(real, other) || isInside(other, real))
        throw new Problem(409, "overlaps", `${real} overlaps the location in ${other}; choose a folder beside it`);
    if (holds === "frames" && entries.length > 0 && !entries.includes(MARKER))
      throw new Problem(409, "not-empty", `${real} holds other files; choose an empty folder, or one that held frames`);
    return real;
  }

  /** The id that the folder had before, where it is free; a new one otherwise. */
  private async newId(folder: string): Promise<string> {
    const before = await readFile(path.join(folder, MARKER), "utf8").then(
      (text) => /"id":"([0-9a-z-]{1,40})"/.exec(text)?.[1],
      () => undefined,
    );
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
      if (member.id !== MAIN_LOCATION) await access(path.join(member.folder, MARKER));
      member.open = await this.openVolume(member);
      member.condition = { kind: "open" };
    } catch (error) {
      const { code, message } = error as NodeJS.ErrnoException;
      if (error instanceof InUseError) member.condition = { kind: "in use", detail: message };
      else if (code === "ENOENT")
        member.condition = { kind: "missing", detail: `${member.folder} is gone, with its drive or by itself` };
      else member.condition = { kind: "refused", detail: `${member.folder} cannot be opened: ${message}` };
    }
  }

  private async openVolume({ id, folder }: Registered): Promise<OpenLocation> {
    const volume = await Volume.open(folder, { medium: this.mediumOf(folder) });
    try {
      const sequences = await SequenceFolder.open(volume);
      const holding = Holding.open(folder, path.join(folder, "holding"), new VolumeKeeper(volume, sequences));
      volume.holdingBytes = () => holding.bytes;
      return { id, volume, holding, sequences };
    } catch (error) {
      await volume.close();
      throw error;
    }
  }
}
