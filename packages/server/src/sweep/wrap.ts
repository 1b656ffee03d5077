import path from "node:path";
import {
  projectOfFile,
  type Bytes,
  type GatheredState,
  type Original,
  type Relinked,
  type Selection,
  type SweepItem,
  type WrapProject,
  type WrapState,
} from "@kinetocache/core";
import { Problem } from "../http/problem";
import type { JobControl, Jobs } from "../jobs/jobs";
import { digestFor } from "../work/digest";
import type { Workers } from "../work/workers";
import { JsonFile } from "../files/jsonFile";
import Joi from "joi";
import type { Locations } from "../volumes/locations";
import { acceptTarget, gather, gatheredBytes, originalsOf, readGathered, relink, type Reader } from "./gathered";
import type { PlaceRegistry } from "../places/placeRegistry";
import { HandedOver } from "./handedOver";
import type { Sweeper } from "./sweeper";

export interface WrapParts {
  /** Folder of the server's data. */
  readonly data: string;
  readonly sweeper: Sweeper;
  readonly registry: PlaceRegistry;
  readonly locations: Locations;
  readonly jobs: Jobs;
  /** Threads that read: of their own, as a job that is paused keeps one. */
  readonly readers: Workers;
}

const GATHERED_SHARE = 0.98;

/** Closes jobs: gathers their originals, and moves what was generated to holding. */
export class Wrap {
  private constructor(
    private readonly sweeper: Sweeper,
    private readonly registry: PlaceRegistry,
    private readonly jobs: Jobs,
    private readonly readers: Workers,
    private readonly known: JsonFile<readonly string[]>,
    /** Compositions of this application; projects of others are found. */
    readonly handed: HandedOver,
  ) {}

  static async open({ data, sweeper, registry, locations, jobs, readers }: WrapParts): Promise<Wrap> {
    const schema = Joi.array<readonly string[]>().items(Joi.string());
    const known = await JsonFile.open(
      path.join(data, "sweep-gathered.json"),
      { format: "kinetocache-gathered-folders", version: 1 },
      schema,
      [],
    );
    return new Wrap(sweeper, registry, jobs, readers, known, await HandedOver.open(data, locations));
  }

  /** Folders that were gathered before, or opened as such. */
  get gathered(): readonly string[] {
    return this.known.value;
  }

  async projects(): Promise<WrapProject[]> {
    const files = await this.sweeper.desk.call("projectFiles");
    return files.map(({ file, name }) => ({ file, name })).sort((a, b) => a.name.localeCompare(b.name));
  }

  /** @param left aborted when nobody waits for it any more @throws Problem 404 when no such project is known */
  async look(file: string, left: AbortSignal): Promise<WrapState> {
    const project = await this.find(file);
    const originals = await this.originalsOf(project, left);
    const { goes, stays } = await this.generatedBy(project);
    return {
      file: project.file,
      name: project.name,
      originals,
      originalBytes: bytesOf(originals),
      missing: originals.filter((one) => one.state !== "there").length,
      generated: {
        items: goes.length,
        bytes: goes.reduce((sum, { bytes }) => sum + bytes, 0),
        rebuildMs: goes.reduce((sum, { rebuildMs = 0 }) => sum + rebuildMs, 0),
        stays,
      },
    };
  }

  private async find(file: string): Promise<WrapProject> {
    const found = this.handed.get(file) ?? (await this.projects()).find((one) => one.file === file);
    if (!found) throw new Problem(404, "no-project", `${file} is not among the project files that were found`);
    return found;
  }

  private originalsOf({ file }: WrapProject, signal: AbortSignal): Promise<Original[]> {
    const composition = this.handed.get(file);
    if (composition) return this.handed.originals(composition);
    const list = (folder: string) => this.sweeper.scanning.filesIn(folder, { signal });
    return originalsOf(file, this.sweeper.preferences.ruleFile, this.sweeper.readable, { list });
  }

  /** Reads for a job. @param told how many bytes it read so far */
  private readerFor(control: JobControl, told: (bytes: Bytes) => void): Reader {
    let done = 0;
    return {
      gate: control.gate,
      list: (folder) => this.sweeper.scanning.filesIn(folder, control),
      digest: async (from, to) => {
        const onBytes = (bytes: Bytes) => told(done + bytes);
        const digest = await digestFor(control, this.readers, { from, onBytes, ...(to ? { to } : {}) });
        done += digest.bytes;
        told(done);
        return digest;
      },
    };
  }

  /** What was generated for a project, backups left out: they are needed to reopen it. */
  private async generatedBy({ file }: WrapProject): Promise<{ goes: SweepItem[]; stays: number }> {
    const composition = this.handed.get(file);
    const bakes = new Set(composition?.bakes);
    const items = composition
      ? this.sweeper.own.generatedFor(composition.id, bakes)
      : await this.sweeper.desk.call("itemsOfOwner", projectOfFile(path.basename(file)).owner);
    const generated = items.filter(({ kind }) => kind !== "backups");
    // It plays its bakes as long as it is there.
    const goes = generated.filter(({ state, id }) => state !== "kept" && (state !== "in use" || bakes.has(id)));
    return { goes, stays: generated.length - goes.length };
  }

  /**
   * Gathers as a job; only once all copies are verified, what was generated goes to holding.
   * @param left aborted when they leave before it began @throws Problem 400, 404, 409
   */
  async start(file: string, target: string, sweeps: boolean, left: AbortSignal): Promise<string> {
    const project = await this.find(file);
    const originals = await this.originalsOf(project, left);
    const folder = await this.registry.inTurn(() => acceptTarget(target, this.registry));
    return this.jobs.start(`Wrapping ${project.name}`, (control) =>
      this.run(project, originals, folder, sweeps, control),
    ).id;
  }

  private async run(
    project: WrapProject,
    originals: readonly Original[],
    target: string,
    sweeps: boolean,
    control: JobControl,
  ): Promise<string> {
    // Each is read once, and its copy once.
    const total = 2 * bytesOf(originals);
    const reader = this.readerFor(control, (bytes) =>
      control.report(GATHERED_SHARE * shareOf(bytes, total), "Copying originals, and reading each copy back"),
    );
    const { files, missing } = await gather({ project: project.name, originals, target }, reader);
    await this.remember(target);
    const left = missing.length > 0 ? `; ${missing.length} missing` : "";
    const gathered = `${files.length} ${files.length === 1 ? "original" : "originals"} gathered`;
    if (!sweeps) return `${gathered} in ${target}${left}`;
    await control.gate();
    const places = new Map<string, string[]>();
    for (const { place, id } of (await this.generatedBy(project)).goes)
      places.set(place, [...(places.get(place) ?? []), id]);
    const selection: Selection = [...places].map(([place, ids]) => ({ place, ids }));
    const { batches, skipped } = await this.sweeper.holdings.hold(selection, `wrapping ${project.name}`);
    const moved = batches.reduce((sum, { items }) => sum + items, 0);
    const stayed = skipped.length > 0 ? `, ${skipped.length} stayed` : "";
    return `${gathered}${left}; ${moved} generated items are in holding${stayed}`;
  }

  private async remember(folder: string): Promise<void> {
    await this.known.change((all) => (all.includes(folder) ? all : [...all, folder]));
  }

  /** Opens a gathered folder that the user names. @param left aborted when they leave @throws Problem 400, 404, 409 */
  async reopen(folder: string, left: AbortSignal): Promise<GatheredState> {
    const real = await this.registry.accept(folder, "gathered", "folder");
    const state = await this.jobs.answer(`Comparing ${real}`, (control) => this.readState(real, control), left);
    await this.remember(real);
    return state;
  }

  private async readState(folder: string, control: JobControl): Promise<GatheredState> {
    const total = await gatheredBytes(folder);
    const reader = this.readerFor(control, (bytes) =>
      control.report(shareOf(bytes, total), "Comparing files with their checksums"),
    );
    return readGathered(folder, reader);
  }

  /**
   * Looks for missing media in a folder that the user names.
   * @param folder one that was gathered or reopened @param left aborted when they leave @throws Problem 400, 404, 409
   */
  async relink(folder: string, from: string, left: AbortSignal): Promise<{ found: Relinked[]; state: GatheredState }> {
    if (!this.gathered.includes(folder))
      throw new Problem(404, "not-gathered", `${folder} was not opened as a gathered folder`);
    const looked = await this.registry.accept(from, "projects", "from");
    const work = async (control: JobControl) => {
      // How much has to be read depends on what is found.
      const reader = this.readerFor(control, (bytes) => control.report(0, `${(bytes / 2 ** 30).toFixed(1)} GB read`));
      const found = await relink(folder, looked, reader);
      return { found, state: await this.readState(folder, control) };
    };
    return this.jobs.answer(`Looking for media in ${looked}`, work, left);
  }
}

/** Bytes of what is there. */
function bytesOf(originals: readonly Original[]): Bytes {
  return originals.reduce((sum, { bytes, state }) => sum + (state === "there" ? bytes : 0), 0);
}

function shareOf(bytes: Bytes, total: Bytes): number {
  return total > 0 ? Math.min(1, bytes / total) : 0;
}
