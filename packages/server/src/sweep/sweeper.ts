import { readdir, realpath } from "node:fs/promises";
import path from "node:path";
import {
  cleaningRuleSchema,
  DEFAULT_RULE_FILE,
  DEFAULT_SWEEP_SETTINGS,
  frameItems,
  LONGEST_HOLDING_DAYS,
  MOST_RULES,
  planSweep,
  ruleFileSchema,
  sequenceItems,
  type Bytes,
  type FillForecast,
  type OwnerMark,
  type RuledDrive,
  type RuleFile,
  type RuleVerdict,
  type Skipped,
  type SweepItem,
  type SweepMark,
  type SweepPlan,
  type SweepSettings,
  type CleaningRule,
} from "@kinetocache/core";
import Joi from "joi";
import type { DriveLog } from "../drives/driveLog";
import { listDrives } from "../drives/drives";
import { REAL_MEDIUM } from "../drives/medium";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";
import type { JobControl, Jobs } from "../jobs/jobs";
import type { Locations, OpenLocation } from "../volumes/locations";
import type { HeldItem } from "./batchFile";
import { heldItem, type HeldReport, type PathVerdict, type RootReport, type Selection } from "./desk";
import { DeskClient } from "./deskClient";
import type { RootPlace } from "./foundRoot";
import { History, type HistoryEntry } from "./history";
import type { Batch, Stayed } from "./holding";
import type { ProjectFile } from "./projectFiles";
import { RegisteredFolders } from "./registeredFolders";

/** A composition of this application, as its page told of it. */
interface ToldComposition {
  readonly id: string;
  readonly name: string;
  readonly mark?: OwnerMark;
}

/** What the page knows of compositions; they live in the browser. */
export interface Told {
  readonly compositions: readonly ToldComposition[];
  /** Id of the one that is open. */
  readonly open?: string;
  /** Ids of the stored sequences that any of them plays. */
  readonly sequences: readonly string[];
}

export const toldSchema = Joi.object<Told>({
  compositions: Joi.array()
    .max(10_000)
    .items(
      Joi.object({
        id: Joi.string().max(64).required(),
        name: Joi.string().max(400).allow("").required(),
        mark: Joi.string().valid("kept", "delivered"),
      }),
    )
    .required(),
  open: Joi.string().max(64),
  sequences: Joi.array().max(100_000).items(Joi.string().max(64)).required(),
});

export const sweepSettingsSchema = Joi.object<SweepSettings>({
  emptyAfterDays: Joi.number().integer().min(1).max(LONGEST_HOLDING_DAYS).allow(null).required(),
  rules: Joi.array()
    .max(MOST_RULES)
    .items(cleaningRuleSchema)
    .unique("id")
    .default([...DEFAULT_SWEEP_SETTINGS.rules]),
  timetable: Joi.object({
    on: Joi.boolean().required(),
    hour: Joi.number().integer().min(0).max(23).required(),
    everyDays: Joi.number().integer().min(1).max(365).required(),
  }).default(DEFAULT_SWEEP_SETTINGS.timetable),
});

const pathText = Joi.string().max(4096);
const markSchema = Joi.alternatives(
  Joi.object({
    scope: Joi.string().valid("project").required(),
    owner: Joi.string().min(1).max(400).required(),
    mark: Joi.string().valid("kept", "delivered").required(),
  }),
  Joi.object({
    scope: Joi.string().valid("item", "folder").required(),
    place: Joi.string().max(64).required(),
    path: pathText.allow("").required(),
    mark: Joi.string().valid("kept").required(),
  }),
);
export const marksSchema = Joi.array<readonly SweepMark[]>().max(10_000).items(markSchema);

export interface FolderReport extends RootPlace, Omit<RootReport, "id"> {
  /** Folder where its drive is mounted. */
  readonly drive?: string;
  readonly freeBytes?: Bytes;
  readonly forecast?: FillForecast;
}

/** What rules would take, or took. */
export interface RuleReport {
  readonly rule: string;
  readonly items: number;
  readonly bytes: Bytes;
  /** Of it, what other rules keep. */
  readonly kept: readonly { readonly rule: string; readonly items: number; readonly bytes: Bytes }[];
}

/** Names of the folders that the demo's caches and projects are in, as `npm run demo:caches` makes them. */
const DEMO_CACHES = "Flyway caches";
const DEMO_PROJECTS = "Flyway projects";

const EVERYTHING = { has: () => true };

/** All sweeping: of the product's own locations, and of the folders that the user registered. */
export class Sweeper {
  private readonly occupied = new Map<string, Occupied>();
  /** Folders that are gone through now. */
  private readonly scanning = new Set<string>();
  readonly desk: DeskClient;

  private constructor(
    private readonly parts: SweeperParts,
    readonly folders: RegisteredFolders,
    readonly history: History,
    private readonly settingsFile: JsonFile<SweepSettings>,
    private readonly ruleFileFile: JsonFile<RuleFile>,
    private readonly marksFile: JsonFile<readonly SweepMark[]>,
    private readonly toldFile: JsonFile<Told>,
  ) {
    this.desk = new DeskClient(path.join(parts.data, "scans"), async (desk) => {
      await desk.send("setTerms", [this.terms()]);
      await desk.send("setPlaces", [this.places()]);
    });
  }

  static async open(parts: SweeperParts): Promise<Sweeper> {
    const { data, locations } = parts;
    const file = (name: string) => path.join(data, `sweep${name}.json`);
    const others = () => locations.folders().map(({ folder }) => folder);
    return new Sweeper(
      parts,
      await RegisteredFolders.open(data, others),
      await History.open(data),
      await JsonFile.open(file(""), sweepSettingsSchema, DEFAULT_SWEEP_SETTINGS),
      await JsonFile.open(file("-rules"), ruleFileSchema, DEFAULT_RULE_FILE),
      await JsonFile.open(file("-marks"), marksSchema, []),
      await JsonFile.open(file("-compositions"), toldSchema, { compositions: [], sequences: [] }),
    );
  }

  close(): Promise<void> {
    return this.desk.close();
  }

  get settings(): SweepSettings {
    return this.settingsFile.value;
  }

  changeSettings(settings: SweepSettings): Promise<void> {
    return this.settingsFile.replace(settings);
  }

  get ruleFile(): RuleFile {
    return this.ruleFileFile.value;
  }

  async changeRuleFile(rules: RuleFile): Promise<void> {
    await this.ruleFileFile.replace(rules);
    await this.tellTerms();
  }

  get marks(): readonly SweepMark[] {
    return this.marksFile.value;
  }

  async changeMarks(marks: readonly SweepMark[]): Promise<void> {
    await this.marksFile.replace(marks);
    await this.tellTerms();
  }

  /** Takes what the page knows of compositions; those rules run that are for one that was just closed. */
  async tell(told: Told): Promise<void> {
    const before = this.toldFile.value.open;
    await this.toldFile.replace(told);
    if (before !== undefined && before !== told.open) await this.runRules("closing a composition", before);
  }

  explain(ruleFile: RuleFile, paths: readonly string[]): Promise<PathVerdict[]> {
    return this.desk.call("explain", ruleFile, paths);
  }

  // Registered folders

  async register(folder: string, projects: readonly string[]): Promise<RootPlace> {
    const place = await this.folders.register(folder, projects);
    await this.tellPlaces();
    return place;
  }

  async setProjects(id: string, projects: readonly string[]): Promise<void> {
    await this.folders.setProjects(id, projects);
    await this.tellPlaces();
  }

  async unregister(id: string): Promise<void> {
    await this.folders.unregister(id);
    this.occupied.get(id)?.leave();
    this.occupied.delete(id);
    await this.tellPlaces();
  }

  /** The demo's cache folders on simulated drives that are not registered, each with where its projects live. */
  async offered(): Promise<{ readonly folder: string; readonly projects: readonly string[] }[]> {
    const inside = await Promise.all(
      this.parts.simulated.drives.map(async ({ folder }) => {
        const names = await readdir(folder).catch(() => []);
        return names.map((name) => path.join(folder, name));
      }),
    );
    const projects = inside.flat().filter((folder) => folder.endsWith(DEMO_PROJECTS));
    const taken = new Set(this.folders.all.map(({ folder }) => folder));
    const caches = inside.flat().filter((folder) => folder.endsWith(DEMO_CACHES));
    const real = await Promise.all(caches.map((folder) => realpath(folder)));
    return real.filter((folder) => !taken.has(folder)).map((folder) => ({ folder, projects }));
  }

  async reports(): Promise<FolderReport[]> {
    if (this.folders.all.length === 0) return [];
    const reports = await this.desk.call("report");
    return Promise.all(
      reports.map(async (report) => {
        this.occupy(report);
        const place = this.folders.get(report.id);
        const drive = report.fault === undefined ? await this.driveOf(place.folder) : undefined;
        const forecast = drive && this.folders.forecast(report.id, drive.freeBytes);
        return { ...report, ...place, drive: drive?.mount, freeBytes: drive?.freeBytes, forecast };
      }),
    );
  }

  /** A simulated drive is as full as what lies on it says. */
  private occupy({ id, totalBytes = 0, holdingBytes }: RootReport): void {
    const bytes = totalBytes + holdingBytes;
    const known = this.occupied.get(id);
    if (known) known.bytes = bytes;
    else {
      const medium = this.parts.simulated.of(this.folders.get(id).folder) ?? REAL_MEDIUM;
      this.occupied.set(id, { bytes, leave: medium.occupy(() => this.occupied.get(id)?.bytes ?? 0) });
    }
  }

  /**
   * Goes through a folder, as a job.
   * @throws Problem 404, 409 when that is under way
   */
  scan(id: string, fresh: boolean): { readonly id: string; readonly ended: Promise<unknown> } {
    const { folder } = this.folders.get(id);
    if (this.scanning.has(id)) throw new Problem(409, "scanning", `${folder} is being scanned already`);
    this.scanning.add(id);
    return this.parts.jobs.start(`Scanning ${folder}`, (control) => this.runScan(id, fresh, control), true);
  }

  private async runScan(id: string, fresh: boolean, { gate, report }: JobControl): Promise<string> {
    try {
      const before = (await this.desk.call("report")).find((one) => one.id === id)?.files ?? 0;
      let leaving: unknown;
      const ended = await this.desk.scan(id, fresh, ({ files, folders, bytes }) => {
        report(before > 0 ? Math.min(0.99, files / before) : 0, scanText(files, folders, bytes));
        gate().catch((error: unknown) => {
          leaving = error;
          void this.desk.call("cancelScan", id);
        });
      });
      if (!ended) throw leaving ?? new Error("It was cancelled");
      const found = (await this.desk.call("report")).find((one) => one.id === id)!;
      this.occupy(found);
      await this.folders.noteBytes(id, found.totalBytes ?? 0);
      // The list is there already; it is kept for the next start.
      this.desk.call("saveScan", id).catch((error: unknown) => console.warn(`The scan was not kept: ${String(error)}`));
      return `${found.files.toLocaleString("en")} files, of them ${found.items.toLocaleString("en")} cache items`;
    } finally {
      this.scanning.delete(id);
    }
  }

  // Planning and moving

  async plan(selection: Selection): Promise<SweepPlan> {
    const { own, found } = this.divide(selection);
    const plans = own.map(({ location, ids }) => this.ownPlan(location, ids));
    if (found.length > 0) plans.push(await this.desk.call("plan", found));
    return joined(plans);
  }

  /**
   * Moves what is chosen to holding; what cannot go stays, with the reason.
   * @throws Problem 404 for a place that is not registered, 507 when a drive has no room for the list
   */
  async hold(selection: Selection, by: string): Promise<HeldReport> {
    const { own, found } = this.divide(selection);
    const reports: HeldReport[] = [];
    for (const { location, ids } of own) reports.push(await this.holdOwn(location, ids, by));
    if (found.length > 0) {
      const report = await this.desk.call("hold", found, by).catch(asFull);
      for (const { place, ...batch } of report.batches)
        await this.note("swept", batch, this.folders.get(place).folder, by, report.skipped.length);
      reports.push(report);
    }
    return {
      batches: reports.flatMap(({ batches }) => batches),
      skipped: reports.flatMap(({ skipped }) => skipped),
    };
  }

  private divide(selection: Selection) {
    const own: { location: OpenLocation; ids: readonly string[] }[] = [];
    const found: { place: string; ids: readonly string[] }[] = [];
    for (const { place, ids } of selection) {
      if (this.folders.all.some(({ id }) => id === place)) found.push({ place, ids });
      else own.push({ location: this.parts.locations.get(place), ids });
    }
    return { own, found };
  }

  /** Of its own frames the page knows which can still be shown; what is kept stays in any case. */
  private ownPlan(location: OpenLocation, ids: readonly string[]): SweepPlan {
    const listed = new Map(
      this.ownItems(location).map((item) => [
        item.id,
        item.state === "kept" ? item : { ...item, state: "idle" as const },
      ]),
    );
    const gone: Skipped[] = [];
    const chosen = ids.flatMap((id) => {
      const item = listed.get(id);
      if (!item) gone.push({ place: location.id, id, reason: "it is gone" });
      return item ? [{ item }] : [];
    });
    return planSweep(chosen, gone);
  }

  private async holdOwn(location: OpenLocation, ids: readonly string[], by: string): Promise<HeldReport> {
    const { items, skipped } = this.ownPlan(location, ids);
    const { volume, holding, id } = location;
    const frames = new Map(volume.filesOf(items.map((item) => item.id)).map((frame) => [frame.key, frame.path]));
    const held = items.map((item) => {
      const file = frames.get(item.id);
      return file === undefined
        ? heldItem(item, true, `sequences/${item.id}`)
        : heldItem(item, false, `frames/${file}`);
    });
    if (held.length === 0) return { batches: [], skipped };
    const { batch, stayed } = await holding.hold(held, by).catch(asFull);
    if (batch) await this.note("swept", batch, volume.root, by, skipped.length + stayed.length);
    const left = stayed.map(({ path: one, reason }) => ({ place: id, id: one, reason }));
    return { batches: batch ? [{ ...batch, place: id }] : [], skipped: [...skipped, ...left] };
  }

  /** Frames and baked sequences of a location. What was brought in is source media, and no item. */
  private ownItems({ id, volume, sequences }: OpenLocation): SweepItem[] {
    const { compositions, open, sequences: played } = this.toldFile.value;
    const frames = volume.items().map((frame) => ({ ...frame, location: id }));
    // Before a page told of any, nothing is known of whose they are.
    const known =
      compositions.length > 0
        ? compositions
        : [...new Set(frames.map(({ owner }) => owner))].map((name) => ({ id: name, name }));
    const owners = {
      names: new Map(known.map((one) => [one.id, one.name])),
      reachable: () => EVERYTHING,
      marks: new Map(compositions.flatMap((one) => (one.mark ? [[one.id, one.mark] as const] : []))),
      ...(open === undefined ? {} : { open }),
    };
    const baked = sequences.all().filter((sequence) => sequence.state(id).kind === "bake");
    return [
      ...frameItems(frames, owners, Date.now()),
      ...sequenceItems(
        baked.map((sequence) => sequence.state(id)),
        compositions.length > 0 ? new Set(played) : undefined,
      ),
    ];
  }

  async holds(): Promise<(Batch & { readonly place: string })[]> {
    const own = this.parts.locations
      .open()
      .flatMap(({ id, holding }) => holding.list().map((batch) => ({ ...batch, place: id })));
    return this.folders.all.length === 0 ? own : [...own, ...(await this.desk.call("holds"))];
  }

  async heldItems(batch: string): Promise<(HeldItem & { readonly number: number })[]> {
    const own = this.ownHolder(batch);
    if (own) return [...own.holding.itemsOf(batch)].map(([number, item]) => ({ number, ...item }));
    await this.find(batch);
    return this.desk.call("heldItems", batch);
  }

  /** @returns what stayed in holding, with the reason @throws Problem 404 */
  async restore(id: string, numbers?: readonly number[]): Promise<readonly Stayed[]> {
    const batch = await this.find(id);
    const own = this.ownHolder(id);
    const stayed = own
      ? await own.holding.restore(id, numbers)
      : await this.desk.call("restore", batch.place, id, numbers);
    await this.noteRest("brought back", batch, stayed.length);
    // What is back is listed when it is found again.
    if (!own && !this.scanning.has(batch.place)) await this.scan(batch.place, false).ended;
    return stayed;
  }

  /** Lets a batch, or a part of it, go for good. @throws Problem 404 */
  async empty(id: string, by: string, numbers?: readonly number[]): Promise<void> {
    const batch = await this.find(id);
    const own = this.ownHolder(id);
    const folder = this.pathOf(batch.place);
    const freeBefore = await this.freeBytes(folder);
    if (own) await own.holding.empty(id, numbers);
    else {
      await this.desk.call("empty", batch.place, id, numbers);
      for (const report of await this.desk.call("report")) this.occupy(report);
    }
    const freeAfter = await this.freeBytes(folder);
    await this.noteRest("emptied", { ...batch, by }, 0, { freeBefore, freeAfter });
  }

  private async find(id: string): Promise<Batch & { readonly place: string }> {
    const found = (await this.holds()).find((batch) => batch.id === id);
    if (!found) throw new Problem(404, "no-batch", `Holding has no batch ${id}`);
    return found;
  }

  private ownHolder(batch: string): OpenLocation | undefined {
    return this.parts.locations.open().find(({ holding }) => holding.has(batch));
  }

  /** What of a batch is gone from holding now. */
  private async noteRest(
    what: HistoryEntry["what"],
    before: Batch & { readonly place: string },
    skipped: number,
    measured: Partial<HistoryEntry> = {},
  ): Promise<void> {
    const left = (await this.holds()).find(({ id }) => id === before.id);
    const batch = {
      ...before,
      items: before.items - (left?.items ?? 0),
      files: before.files - (left?.files ?? 0),
      bytes: before.bytes - (left?.bytes ?? 0),
    };
    const by = what === "emptied" ? before.by : "you";
    await this.note(what, batch, this.pathOf(before.place), by, skipped, measured);
  }

  private note(
    what: HistoryEntry["what"],
    { id, items, files, bytes, projects }: Omit<Batch, "by" | "sweptMs" | "rebuildMs">,
    place: string,
    by: string,
    skipped: number,
    measured: Partial<HistoryEntry> = {},
  ): Promise<void> {
    const entry = {
      atMs: Date.now(),
      what,
      by,
      batch: id,
      place,
      items,
      files,
      bytes,
      projects: projects.slice(0, 20),
      skipped,
    };
    return this.history.add({ ...entry, ...measured });
  }

  // Rules

  /** What rules would take now, each with what others keep of it. */
  async preview(rules: readonly CleaningRule[]): Promise<RuleReport[]> {
    return reportOf(rules, await this.judge(rules));
  }

  private async judge(rules: readonly CleaningRule[], closed?: string): Promise<RuleVerdict[]> {
    const own = this.parts.locations.open().flatMap((location) => this.ownItems(location));
    const folders = [
      ...this.parts.locations.open().map(({ id, volume }) => ({ id, folder: volume.root })),
      ...this.folders.all,
    ];
    const drives = await Promise.all(
      folders.map(async ({ id, folder }) => [id, await this.driveOf(folder).catch(() => undefined)] as const),
    );
    const known = drives.flatMap(([id, drive]) => (drive ? [[id, drive] as const] : []));
    return this.desk.call("judge", rules, own, known, closed);
  }

  /** Moves what the rules take to holding. @param closed id of a composition that was closed just now */
  async runRules(by: string, closed?: string): Promise<HeldReport & { readonly rules: readonly RuleReport[] }> {
    const { rules } = this.settings;
    const used = rules.filter(({ on, action }) => on && (closed === undefined || action.kind === "close"));
    if (used.length === 0) return { batches: [], skipped: [], rules: [] };
    // Also rules that do not run now keep what they keep.
    const verdicts = (await this.judge(rules, closed)).filter(({ takenBy }) => used.some(({ id }) => id === takenBy));
    const selection = new Map<string, string[]>();
    for (const { item, keptBy } of verdicts) {
      if (keptBy !== undefined) continue;
      const ids = selection.get(item.place) ?? [];
      ids.push(item.id);
      selection.set(item.place, ids);
    }
    const held = await this.hold(
      [...selection].map(([place, ids]) => ({ place, ids })),
      by,
    );
    return { ...held, rules: reportOf(used, verdicts) };
  }

  /** Looks through all folders, then runs the rules. */
  async runTimetable(): Promise<void> {
    for (const { id } of this.folders.all) if (!this.scanning.has(id)) await this.scan(id, false).ended;
    await this.runRules("the timetable");
  }

  projectFiles(): Promise<readonly ProjectFile[]> {
    return this.desk.call("projectFiles");
  }

  // What the desk works by

  private terms() {
    const rebuildRate = this.rebuildRate();
    return { ruleFile: this.ruleFile, marks: this.marks, ...(rebuildRate === undefined ? {} : { rebuildRate }) };
  }

  private async tellTerms(): Promise<void> {
    if (this.folders.all.length > 0) await this.desk.call("setTerms", this.terms());
  }

  private places() {
    return this.folders.all.map(({ id, folder, projects }) => {
      const isNominal = this.parts.simulated.of(folder) !== undefined;
      return { id, folder, projects, isNominal };
    });
  }

  private async tellPlaces(): Promise<void> {
    await this.desk.call("setTerms", this.terms());
    await this.desk.call("setPlaces", this.places());
  }

  /** Bytes a second of rendering frames, as they were rendered, and of writing them, as the drives were measured. */
  private rebuildRate(): number | undefined {
    let bytes = 0;
    let costMs = 0;
    for (const { volume } of this.parts.locations.open())
      for (const item of volume.items()) {
        bytes += item.bytes;
        costMs += item.costMs;
      }
    if (bytes === 0 || costMs === 0) return undefined;
    const writeRate = this.parts.log.all.at(-1)?.writeRate ?? Infinity;
    return 1 / (costMs / 1000 / bytes + 1 / writeRate);
  }

  private pathOf(place: string): string {
    const found = this.folders.all.find(({ id }) => id === place);
    return found ? found.folder : this.parts.locations.get(place).volume.root;
  }

  private freeBytes(folder: string): Promise<Bytes> {
    return (this.parts.simulated.of(folder) ?? REAL_MEDIUM).freeBytes(folder);
  }

  private async driveOf(folder: string): Promise<RuledDrive | undefined> {
    const made = this.parts.simulated.of(folder);
    if (made) return { mount: made.folder, freeBytes: await made.freeBytes() };
    const drives = await listDrives([{ id: "asked", folder }]);
    return drives.find(({ locations }) => locations.includes("asked"));
  }
}

/** What a registered folder takes on its drive. */
interface Occupied {
  bytes: Bytes;
  readonly leave: () => void;
}

export interface SweeperParts {
  /** Folder of the server's data. */
  readonly data: string;
  readonly locations: Locations;
  readonly simulated: SimulatedDrives;
  readonly log: DriveLog;
  readonly jobs: Jobs;
}

function scanText(files: number, folders: number, bytes: Bytes): string {
  return `${files.toLocaleString("en")} files in ${folders.toLocaleString("en")} folders, ${(bytes / 2 ** 30).toFixed(1)} GB`;
}

function asFull(error: NodeJS.ErrnoException): never {
  if (error.code === "ENOSPC" || error.code === "EDQUOT")
    throw new Problem(
      507,
      "drive-full",
      "The drive is full: there is no room even for the list of what moves. Nothing was moved; free a little, or sweep less at once",
    );
  if (error.code === "EROFS" || error.code === "EACCES")
    throw new Problem(403, "not-writable", `Nothing was moved: ${error.message}`);
  throw error;
}

function joined(plans: readonly SweepPlan[]): SweepPlan {
  const sum = (value: (plan: SweepPlan) => number) => plans.reduce((total, plan) => total + value(plan), 0);
  return {
    items: plans.flatMap(({ items }) => items),
    files: sum(({ files }) => files),
    bytes: sum(({ bytes }) => bytes),
    bytesByPlace: Object.assign({}, ...plans.map(({ bytesByPlace }) => bytesByPlace)) as SweepPlan["bytesByPlace"],
    rebuildMs: sum(({ rebuildMs }) => rebuildMs),
    isEstimate: plans.some(({ isEstimate }) => isEstimate),
    lostBytes: sum(({ lostBytes }) => lostBytes),
    skipped: plans.flatMap(({ skipped }) => skipped),
  };
}

function reportOf(rules: readonly CleaningRule[], verdicts: readonly RuleVerdict[]): RuleReport[] {
  return rules.map(({ id }) => {
    const own = verdicts.filter(({ takenBy }) => takenBy === id);
    const goes = own.filter(({ keptBy }) => keptBy === undefined);
    const keepers = [...new Set(own.flatMap(({ keptBy }) => keptBy ?? []))];
    const sum = (list: readonly RuleVerdict[]) => ({
      items: list.length,
      bytes: list.reduce((total, { item }) => total + item.bytes, 0),
    });
    return {
      rule: id,
      ...sum(goes),
      kept: keepers.map((rule) => ({ rule, ...sum(own.filter(({ keptBy }) => keptBy === rule)) })),
    };
  });
}
