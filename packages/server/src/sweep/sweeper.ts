import { realpath } from "node:fs/promises";
import path from "node:path";
import {
  cleaningRuleSchema,
  DEFAULT_RULE_FILE,
  DEFAULT_SWEEP_SETTINGS,
  isSafePath,
  joinPlans,
  LONGEST_HOLDING_DAYS,
  MOST_RULES,
  ruleFileSchema,
  ruleReports,
  type Batch,
  type Bytes,
  type FolderReport,
  type HeldItem,
  type HeldReport,
  type HistoryEntry,
  type PathVerdict,
  type PlacedBatch,
  type RebuildPace,
  type RuleFile,
  type RuleReport,
  type RuleVerdict,
  type Selection,
  type Stayed,
  type SweepFolder,
  targetOfMark,
  type SweepItem,
  type SweepMark,
  type SweepPlan,
  type SweepSettings,
  type CleaningRule,
} from "@kinetocache/core";
import Joi from "joi";
import type { DriveLog } from "../drives/driveLog";
import { allDrives } from "../drives/allDrives";
import { REAL_MEDIUM } from "../drives/medium";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import { Folder } from "../files/folder";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";
import type { JobControl, Jobs } from "../jobs/jobs";
import type { PlaceRegistry } from "../places/placeRegistry";
import type { Locations, OpenLocation } from "../volumes/locations";
import type { OverCap } from "../volumes/volume";
import { Clients, type CompositionReport } from "./clients";
import type { DeskReport, FoundFile } from "./desk";
import { DeskClient } from "./deskClient";
import { History } from "./history";
import { LOWER_CAP } from "./holding";
import type { ProjectFile } from "./projectFiles";
import { OwnCaches } from "./ownCaches";
import { RegisteredFolders } from "./registeredFolders";
import type { ScanProgress } from "./scan";
import { statBelow } from "./heldFolders";

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
const MOST_MARKS = 10_000;
const marksSchema = Joi.array<readonly SweepMark[]>().max(MOST_MARKS).items(markSchema);

/** One mark that is set or taken away. */
export interface MarkChange {
  readonly mark: SweepMark;
  readonly on: boolean;
}

export const markChangeSchema = Joi.object<MarkChange>({ mark: markSchema.required(), on: Joi.boolean().required() });

/** Names of the folders that the demo's caches and projects are in, as `npm run demo:caches` makes them. */
const DEMO_CACHES = "Flyway caches";
const DEMO_PROJECTS = "Flyway projects";

// Longer ones are asked for, and told as a job.
const SHORT_SCAN_MS = 2000;
// Whoever looked at what would move, and neither moved nor left it, has left by then.
const DECIDING_MS = 5 * 60_000;

/** All sweeping: of the product's own locations, and of the folders that the user registered. */
export class Sweeper {
  private readonly occupied = new Map<string, Occupied>();
  /** Folders that are gone through now. */
  private readonly scanning = new Set<string>();
  /** And those in which something changed. */
  private readonly catchingUp = new Map<string, Promise<void>>();
  /** When somebody last asked what would move. */
  private plannedMs = 0;
  readonly desk: DeskClient;

  private constructor(
    private readonly parts: SweeperParts,
    readonly folders: RegisteredFolders,
    readonly history: History,
    private readonly settingsFile: JsonFile<SweepSettings>,
    private readonly ruleFileFile: JsonFile<RuleFile>,
    private readonly marksFile: JsonFile<readonly SweepMark[]>,
    readonly clients: Clients,
    private readonly own: OwnCaches,
  ) {
    this.desk = new DeskClient(parts.data, async (ask) => {
      await ask("setTerms", this.terms());
      await ask("setPlaces", this.places());
    });
  }

  static async open(parts: SweeperParts): Promise<Sweeper> {
    const { data, locations, registry } = parts;
    const clients = await Clients.open(data);
    const file = (name: string) => path.join(data, `sweep${name}.json`);
    return new Sweeper(
      parts,
      await RegisteredFolders.open(data, registry),
      await History.open(data),
      await JsonFile.open(
        file(""),
        { format: "kinetocache-sweep-settings", version: 1 },
        sweepSettingsSchema,
        DEFAULT_SWEEP_SETTINGS,
      ),
      await JsonFile.open(
        file("-rules"),
        { format: "kinetocache-rules", version: 1 },
        ruleFileSchema,
        DEFAULT_RULE_FILE,
      ),
      await JsonFile.open(file("-marks"), { format: "kinetocache-sweep-marks", version: 1 }, marksSchema, []),
      clients,
      new OwnCaches(locations, clients),
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

  /**
   * Sets one mark, or takes it away: whoever asks may not know of the others. A folder that is kept has to
   * be there.
   * @throws Problem 400, 404
   */
  async changeMark({ mark, on }: MarkChange): Promise<void> {
    if (on && mark.scope === "folder") await this.checkMarked(mark.place, mark.path);
    const target = targetOfMark(mark);
    await this.marksFile.change((all) => {
      const others = all.filter((one) => targetOfMark(one) !== target);
      if (on && others.length >= MOST_MARKS) throw new Problem(409, "too-many", `At most ${MOST_MARKS} marks are kept`);
      return on ? [...others, mark] : others;
    });
    await this.tellTerms();
  }

  private async checkMarked(place: string, below: string): Promise<void> {
    const { folder } = this.folders.get(place);
    if (below !== "" && !isSafePath(below))
      throw new Problem(
        400,
        "invalid",
        `path: "${below}" leads out of ${folder}; name what is in it, such as shows/cache`,
      );
    const isThere = await Folder.with(folder, (root) => below === "" || statBelow(root, below) !== undefined).catch(
      (error: NodeJS.ErrnoException) => {
        if (error.code === "ENOENT" || error.code === "ENOTDIR") return false;
        throw error;
      },
    );
    if (!isThere) throw new Problem(404, "no-folder", `There is nothing at ${below} in ${folder}`);
  }

  /** Takes what the page knows of compositions; those rules run that are for one that was just closed. */
  async tell(told: CompositionReport): Promise<void> {
    const closed = await this.clients.tell(told);
    if (closed !== undefined) await this.runRules("closing a composition", closed);
  }

  explain(ruleFile: RuleFile, paths: readonly string[]): Promise<PathVerdict[]> {
    return this.desk.call("explain", ruleFile, paths);
  }

  /** As `OwnCaches.generatedFor`. */
  generatedFor(composition: string, bakes: ReadonlySet<string>): SweepItem[] {
    return this.own.generatedFor(composition, bakes);
  }

  // Registered folders

  async register(folder: string, projects: readonly string[]): Promise<SweepFolder> {
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
        const names = await Folder.with(folder, (drive) => drive.names());
        return names.map((name) => `${folder}/${name}`);
      }),
    );
    const projects = inside.flat().filter((folder) => folder.endsWith(DEMO_PROJECTS));
    const taken = new Set(this.folders.all.map(({ folder }) => folder));
    const caches = inside.flat().filter((folder) => folder.endsWith(DEMO_CACHES));
    const real = await Promise.all(caches.map((folder) => realpath(folder)));
    return real.filter((folder) => !taken.has(folder)).map((folder) => ({ folder, projects }));
  }

  /** Registers the demo's cache folders and goes through them, where nobody has registered or removed any yet. */
  async registerDemo(): Promise<void> {
    if (!this.folders.isNew) return;
    for (const { folder, projects } of await this.offered()) {
      const { id } = await this.register(folder, projects);
      this.scan(id, false);
    }
  }

  /** Folders that may be read: those that are swept, those where projects live, and those of source media. */
  get readable(): string[] {
    const media = this.parts.locations.folders().filter(({ holds }) => holds === "media");
    return [
      ...this.folders.all.flatMap(({ folder, projects }) => [folder, ...projects]),
      ...media.map((one) => one.folder),
    ];
  }

  /** Whether it was known when it was told last how frames are rendered here. */
  private knowsPace = false;

  /** The registered folders; as somebody looks, those in which something changed are gone through meanwhile. */
  async reports(): Promise<FolderReport[]> {
    if (this.folders.all.length === 0) return [];
    // Frames may have been rendered since.
    if (!this.knowsPace && this.rebuildPace() !== undefined) await this.tellTerms();
    const reports = await this.desk.call("report");
    for (const report of reports) this.occupy(report);
    // What is being decided on moves as it was shown, or stays because it changed.
    const isDecided = Date.now() - this.plannedMs > DECIDING_MS;
    for (const { id, isDue, scanTookMs = 0 } of reports)
      if (isDecided && isDue && scanTookMs < SHORT_SCAN_MS) this.catchUp(id);
    const drives = await allDrives(this.folders.all, this.parts.simulated);
    return reports.map((report) => {
      const place = this.folders.get(report.id);
      const isThere = report.fault === undefined;
      const drive = isThere ? drives.find(({ locations }) => locations.includes(report.id)) : undefined;
      const forecast = drive && this.folders.forecast(report.id, drive.freeBytes);
      return { ...report, ...place, drive: drive?.mount, freeBytes: drive?.freeBytes, forecast };
    });
  }

  /** What the registered folders take, by their path, as far as they were gone through. */
  sizes(): [string, Bytes][] {
    return this.folders.all.flatMap(({ id, folder }): [string, Bytes][] => {
      const known = this.occupied.get(id);
      return known ? [[folder, known.taken.bytes]] : [];
    });
  }

  /** A simulated drive is as full as what lies on it says. */
  private occupy({ id, totalBytes = 0, holdingBytes, scannedMs }: DeskReport): void {
    const known = this.occupied.get(id);
    // Until it was gone through, what is in it is nobody's.
    if (scannedMs === undefined && !known) return;
    const bytes = totalBytes + holdingBytes;
    if (known) known.taken.bytes = bytes;
    else {
      const medium = this.parts.simulated.of(this.folders.get(id).folder) ?? REAL_MEDIUM;
      const taken = { bytes };
      this.occupied.set(id, { taken, leave: medium.occupy(() => taken.bytes) });
    }
  }

  /** Goes through a folder in which something changed, where that is done at once: it is no job. */
  private catchUp(id: string): void {
    if (this.scanning.has(id) || this.catchingUp.has(id)) return;
    const caughtUp = this.goThrough(id, false, () => Promise.resolve())
      .then(() => undefined)
      // What keeps it from being read is told of the folder.
      .catch((error: unknown) => console.warn(`${id} was not gone through: ${String(error)}`))
      .finally(() => this.catchingUp.delete(id));
    this.catchingUp.set(id, caughtUp);
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
      await this.catchingUp.get(id);
      const before = (await this.desk.call("report")).find((one) => one.id === id)?.files ?? 0;
      const { files, items } = await this.goThrough(id, fresh, (at) => {
        report(before > 0 ? Math.min(0.99, at.files / before) : 0, scanText(at));
        return gate();
      });
      return `${files.toLocaleString("en")} files, of them ${items.toLocaleString("en")} cache items`;
    } finally {
      this.scanning.delete(id);
    }
  }

  private async goThrough(
    id: string,
    fresh: boolean,
    onProgress: (at: ScanProgress) => Promise<void>,
  ): Promise<DeskReport> {
    await this.desk.call("beginScan", id, fresh);
    for (let at = await this.desk.call("scanOn", id); at; at = await this.desk.call("scanOn", id)) await onProgress(at);
    const found = (await this.desk.call("report")).find((one) => one.id === id)!;
    this.occupy(found);
    await this.folders.noteBytes(id, found.totalBytes ?? 0);
    // The list is there already; it is kept for the next start.
    this.desk.call("saveScan", id).catch((error: unknown) => console.warn(`The scan was not kept: ${String(error)}`));
    return found;
  }

  /**
   * All files below a folder, which need not be registered.
   * @param waits who waits for them: a job with all that is in it, or somebody who may leave
   * @throws Error when it cannot be read; what `gate` throws, or the reason of `signal`
   */
  async filesIn(folder: string, { gate, report, signal }: Partial<JobControl>): Promise<FoundFile[]> {
    const look = await this.desk.call("beginLook", folder);
    try {
      for (;;) {
        await gate?.();
        signal?.throwIfAborted();
        const found = await this.desk.call("lookOn", look);
        if (Array.isArray(found)) return found as FoundFile[];
        report?.(0, scanText(found as ScanProgress));
      }
    } finally {
      await this.desk.call("endLook", look);
    }
  }

  // Planning and moving

  async plan(selection: Selection): Promise<SweepPlan> {
    this.plannedMs = Date.now();
    const { own, found } = this.divide(selection);
    const plans = own.map(({ location, ids }) => this.own.plan(location, ids));
    if (found.length > 0) plans.push(await this.desk.call("plan", found));
    return joinPlans(plans);
  }

  /**
   * Moves what is chosen to holding; what cannot go stays, with the reason.
   * @throws Problem 404 for a place that is not registered, 507 when a drive has no room for the list
   */
  async hold(selection: Selection, by: string): Promise<HeldReport> {
    const { own, found } = this.divide(selection);
    const reports: HeldReport[] = [];
    // What cannot be done in one place is done in the others, and said of that one.
    const faults: Error[] = [];
    const attempt = async (place: string, ids: readonly string[], work: () => Promise<HeldReport>) => {
      try {
        reports.push(await work());
      } catch (error) {
        faults.push(asActFault(error as NodeJS.ErrnoException, this.pathOf(place)));
        const reason = faults.at(-1)!.message;
        reports.push({ batches: [], skipped: ids.map((id) => ({ place, id, reason })) });
      }
    };
    for (const { location, ids } of own) await attempt(location.id, ids, () => this.own.hold(location, ids, by));
    for (const one of found) await attempt(one.place, one.ids, () => this.desk.call("hold", [one], by));
    if (faults.length > 0 && reports.every(({ batches }) => batches.length === 0)) throw faults[0]!;
    for (const { batches, skipped } of reports)
      for (const { place, ...batch } of batches) {
        const stayed = skipped.filter((one) => one.place === place).length;
        await this.note("swept", batch, this.pathOf(place), by, stayed);
      }
    this.plannedMs = 0;
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

  /** All that waits in holding. */
  async holds(): Promise<PlacedBatch[]> {
    const own = this.own.holds();
    return this.folders.all.length === 0 ? own : [...own, ...(await this.desk.call("holds"))];
  }

  async heldItems(batch: string): Promise<(HeldItem & { readonly number: number })[]> {
    const own = this.own.holderOf(batch);
    if (own) return [...own.holding.itemsOf(batch)].map(([number, item]) => ({ number, ...item }));
    await this.find(batch);
    return this.desk.call("heldItems", batch);
  }

  /** @returns what stayed in holding, with the reason @throws Problem 404 */
  async restore(id: string, numbers?: readonly number[]): Promise<readonly Stayed[]> {
    const batch = await this.find(id);
    const own = this.own.holderOf(id);
    const stayed = own
      ? await own.holding.restore(id, numbers)
      : await this.desk.call("restore", batch.place, id, numbers);
    await this.noteRest("brought back", batch, stayed.length);
    // What is back is listed when it is found again.
    if (!own && !this.scanning.has(batch.place)) await this.scan(batch.place, false).ended;
    return stayed;
  }

  /** Lets a batch, or a part of it, go for good. @returns what stayed, with the reason @throws Problem 404 */
  async empty(id: string, by: string, numbers?: readonly number[]): Promise<readonly Stayed[]> {
    const batch = await this.find(id);
    const own = this.own.holderOf(id);
    const folder = this.pathOf(batch.place);
    const freeBefore = await this.freeBytes(folder);
    const stayed = own ? await own.holding.empty(id, numbers) : await this.desk.call("empty", batch.place, id, numbers);
    if (!own) for (const report of await this.desk.call("report")) this.occupy(report);
    const freeAfter = await this.freeBytes(folder);
    await this.noteRest("emptied", { ...batch, by }, stayed.length, { freeBefore, freeAfter });
    return stayed;
  }

  /** Goes on with what was being let go when an interruption came. */
  async finishInterrupted(): Promise<void> {
    for (const { id, holding } of this.parts.locations.open())
      await holding.finish().catch((error: unknown) => console.warn(`${id}: ${String(error)}`));
    if (this.folders.all.length > 0) await this.desk.call("finish");
  }

  private async find(id: string): Promise<PlacedBatch> {
    const found = (await this.holds()).find((batch) => batch.id === id);
    if (!found) throw new Problem(404, "no-batch", `Holding has no batch ${id}`);
    return found;
  }

  /** What of a batch is gone from holding now. */
  private async noteRest(
    what: HistoryEntry["what"],
    before: PlacedBatch,
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

  /**
   * Moves frames that a lower cap of a location has no room for to its holding, or notes that they go for good.
   * @throws Problem when the drive takes nothing
   */
  async giveUp(location: OpenLocation, keys: readonly string[], { frames, bytes, isHeld }: OverCap): Promise<void> {
    const { root } = location.volume;
    if (!isHeld) {
      const batch = { id: "cap", items: frames, files: frames, bytes, projects: [] };
      await this.note("emptied", batch, root, LOWER_CAP, 0);
      return;
    }
    const { batches, skipped } = await this.own.giveUp(location, keys).catch((error: unknown) => {
      throw asActFault(error as NodeJS.ErrnoException, root);
    });
    for (const batch of batches) await this.note("swept", batch, root, LOWER_CAP, skipped.length);
  }

  // Rules

  /** What rules would take now, each with what others keep of it. */
  async preview(rules: readonly CleaningRule[]): Promise<RuleReport[]> {
    return ruleReports(rules, await this.judge(rules));
  }

  private async judge(rules: readonly CleaningRule[], closed?: string): Promise<RuleVerdict[]> {
    const places = [
      ...this.parts.locations.open().map(({ id, volume }) => ({ id, folder: volume.root })),
      ...this.folders.all,
    ];
    const drives = (await allDrives(places, this.parts.simulated)).flatMap(({ locations, mount, freeBytes }) =>
      locations.map((id) => [id, { mount, freeBytes }] as const),
    );
    return this.desk.call("judge", rules, this.own.items(closed), drives, closed);
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
    return { ...held, rules: ruleReports(used, verdicts) };
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
    const pace = this.rebuildPace();
    this.knowsPace = pace !== undefined;
    return { ruleFile: this.ruleFile, marks: this.marks, ...(pace === undefined ? {} : { pace }) };
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

  /** Rendering frames, as they were rendered, and writing them, as the drives were measured. */
  private rebuildPace(): RebuildPace | undefined {
    const { renderPace } = this.own;
    if (renderPace === undefined) return undefined;
    const writeRate = this.parts.log.all.at(-1)?.writeRate ?? Infinity;
    return { ...renderPace, rate: 1 / (1 / renderPace.rate + 1 / writeRate) };
  }

  private pathOf(place: string): string {
    const found = this.folders.all.find(({ id }) => id === place);
    return found ? found.folder : this.parts.locations.get(place).volume.root;
  }

  private freeBytes(folder: string): Promise<Bytes> {
    return (this.parts.simulated.of(folder) ?? REAL_MEDIUM).freeBytes(folder);
  }
}

/** What a registered folder takes on its drive. */
interface Occupied {
  readonly taken: { bytes: Bytes };
  readonly leave: () => void;
}

export interface SweeperParts {
  /** Folder of the server's data. */
  readonly data: string;
  readonly registry: PlaceRegistry;
  readonly locations: Locations;
  readonly simulated: SimulatedDrives;
  readonly log: DriveLog;
  readonly jobs: Jobs;
}

function scanText({ files, folders, bytes }: ScanProgress): string {
  return `${files.toLocaleString("en")} files in ${folders.toLocaleString("en")} folders, ${(bytes / 2 ** 30).toFixed(1)} GB`;
}

/** What kept a whole place from being swept. */
function asActFault(error: NodeJS.ErrnoException, folder: string): Error {
  switch (error.code) {
    case "ENOSPC":
    case "EDQUOT":
      return new Problem(
        507,
        "drive-full",
        `The drive of ${folder} is full: there is no room even for the list of what moves. Nothing of it was moved; free a little, or sweep less at once`,
      );
    case "EROFS":
      return new Problem(403, "read-only", `The drive of ${folder} can only be read; nothing of it was moved`);
    case "EACCES":
    case "EPERM":
      return new Problem(403, "not-writable", `${folder} may not be written; nothing of it was moved`);
    case "ENOENT":
      return new Problem(503, "missing", `${folder} is gone, with its drive or by itself; nothing of it was moved`);
    case "ENOTDIR":
      return new Problem(409, "not-a-folder", `${error.message}; nothing of ${folder} was moved`);
    default:
      return error;
  }
}
