import {
  compileRules,
  explainPath,
  filesOf,
  judge,
  packItems,
  planSweep,
  type Bytes,
  type Chosen,
  type CleaningRule,
  type CompiledRules,
  type FolderContents,
  type FoundItem,
  type HeldItem,
  type HeldReport,
  type PathVerdict,
  type PlacedBatch,
  type RebuildPace,
  type ProjectKnowledge,
  type RuledDrive,
  type RuleFile,
  type RuleVerdict,
  type Selection,
  type Skipped,
  type Stayed,
  type SweepFolder,
  type SweepItem,
  type SweepMark,
  type SweepPlan,
} from "@kinetocache/core";
import { Folder } from "../files/folder";
import { FoundRoot } from "./foundRoot";
import { findProjectFiles, type ProjectFile, type ProjectFiles } from "./projectFiles";
import { scan, scanOn, type ScanProgress } from "./scan";

export interface DeskPlace extends SweepFolder {
  /** Whether content counts with its length. */
  readonly isNominal: boolean;
}

/** What is known of a registered folder, by its id. */
export type DeskReport = FolderContents & Pick<SweepFolder, "id">;

/** What the desk works by; told anew whenever any of it changes. */
export interface DeskTerms {
  readonly ruleFile: RuleFile;
  readonly marks: readonly SweepMark[];
  /** How frames are rendered and written here; undefined while none were. */
  readonly pace?: RebuildPace;
}

/** A file below a folder that was looked through. */
export interface FoundFile {
  readonly path: string;
  readonly bytes: Bytes;
}

// Lines of this many items are made and sent one after the other.
const ITEMS_A_LINE = 2000;
const MOST_BLOCKED = 200;
const CLASSIFY_AGAIN_MS = 60_000;

/**
 * All that is done with registered folders. It runs in a process of its own, where a drive that hangs holds up nothing
 * else, and hundreds of thousands of files are nobody else's burden.
 */
export class Desk {
  private readonly roots = new Map<string, FoundRoot>();
  private readonly faults = new Map<string, string>();
  private readonly places = new Map<string, DeskPlace>();
  private readonly projects = new Map<string, ProjectFiles>();
  private rules: CompiledRules | undefined;
  private terms: DeskTerms | undefined;
  private classifiedMs = 0;
  /** Looks through folders that need not be registered, by number. */
  private readonly looks = new Map<number, ReturnType<typeof scan>>();
  private nextLook = 0;

  private readonly scans: Folder;

  /** @param data folder of the server's data, which keeps what was found */
  constructor(data: string) {
    const folder = Folder.open(data);
    this.scans = folder.make("scans");
    folder.close();
  }

  /** Takes the terms, and reads the items anew where the rule file changed. */
  setTerms(terms: DeskTerms): void {
    const isRead = JSON.stringify(this.terms?.ruleFile) === JSON.stringify(terms.ruleFile);
    this.terms = terms;
    if (!isRead) {
      this.rules = compileRules(terms.ruleFile);
      for (const root of this.roots.values()) {
        this.lookForProjects(root);
        root.read(this.rules, Date.now());
      }
    }
    this.classifyAll();
  }

  /** Takes the registered folders; those that are not among them are let go. */
  setPlaces(places: readonly DeskPlace[]): void {
    for (const id of [...this.places.keys()])
      if (!places.some((place) => place.id === id)) {
        this.roots.get(id)?.forget();
        this.closeRoot(id);
        for (const map of [this.roots, this.faults, this.places, this.projects]) map.delete(id);
      }
    for (const place of places) {
      const isSame = JSON.stringify(this.places.get(place.id)) === JSON.stringify(place);
      this.places.set(place.id, place);
      if (!isSame) this.closeRoot(place.id);
      this.openRoot(place);
    }
  }

  private closeRoot(id: string): void {
    this.roots.get(id)?.close();
    this.roots.delete(id);
  }

  /** A folder that is not there, with its drive, is tried again whenever it is asked for. */
  private openRoot(place: DeskPlace): FoundRoot | undefined {
    const open = this.roots.get(place.id);
    if (open) return open;
    try {
      const root = new FoundRoot(place, this.scans, place.isNominal);
      this.roots.set(place.id, root);
      this.faults.delete(place.id);
      if (this.rules) {
        this.lookForProjects(root);
        root.read(this.rules, Date.now());
        this.classifyOne(root);
      }
      return root;
    } catch (error) {
      this.faults.set(place.id, (error as Error).message);
      return undefined;
    }
  }

  report(): DeskReport[] {
    // What was in use is idle after a while.
    if (Date.now() - this.classifiedMs > CLASSIFY_AGAIN_MS) this.classifyAll();
    return [...this.places.values()].map((place) => {
      const root = this.openRoot(place);
      const fault = this.faults.get(place.id);
      const projects = this.projects.get(place.id);
      return {
        id: place.id,
        version: root?.version ?? 0,
        scannedMs: root?.scannedMs,
        scanTookMs: root?.scanTookMs,
        files: root?.files ?? 0,
        items: root?.items.length ?? 0,
        totalBytes: root?.totalBytes,
        itemBytes: root?.items.reduce((sum, { bytes }) => sum + bytes, 0) ?? 0,
        holdingBytes: root?.holding.bytes ?? 0,
        isWatched: root?.isWatched ?? false,
        isDue: root?.isDue ?? false,
        blocked: root?.blocked.slice(0, MOST_BLOCKED) ?? [],
        unreadableProjects: projects?.unreadable ?? [],
        projectFiles: projects?.files.length ?? 0,
        ...(fault === undefined ? {} : { fault }),
      };
    });
  }

  /** As `FoundRoot.beginScan`. */
  beginScan(id: string, fresh: boolean): void {
    this.rootOf(id).beginScan(fresh);
  }

  /** As `FoundRoot.scanOn`; at the end what was found is told apart. */
  async scanOn(id: string): Promise<ScanProgress | undefined> {
    const root = this.rootOf(id);
    const progress = await root.scanOn().catch((error: unknown) => {
      this.closeRoot(id);
      this.faults.set(id, (error as Error).message);
      throw error;
    });
    if (progress) return progress;
    const startMs = performance.now();
    this.lookForProjects(root);
    root.read(this.rules!, Date.now());
    this.classifyOne(root);
    root.scanTookMs! += performance.now() - startMs;
    return undefined;
  }

  /** Begins to look through any folder. @returns the number of the look @throws Error when it cannot be read */
  beginLook(folder: string): number {
    this.looks.set(this.nextLook, scan(folder, { isNominal: true, nowMs: Date.now() }));
    return this.nextLook++;
  }

  /** Goes on with a look for a while. @returns how far it is, or at its end the files, which is then over */
  async lookOn(look: number): Promise<ScanProgress | FoundFile[]> {
    const step = await scanOn(this.looks.get(look)!);
    if (!step.done) return step.value;
    this.looks.delete(look);
    return [...filesOf(step.value)].map(({ path: below, size: bytes }) => ({ path: below, bytes }));
  }

  endLook(look: number): void {
    this.looks.delete(look);
  }

  saveScan(id: string): void {
    this.roots.get(id)?.save();
  }

  /** Lines of JSON, each with some packed items. */
  items(id: string): Buffer[] {
    const { items } = this.rootOf(id);
    const lines: Buffer[] = [];
    for (let at = 0; at < items.length; at += ITEMS_A_LINE)
      lines.push(Buffer.from(`${JSON.stringify(packItems(id, items.slice(at, at + ITEMS_A_LINE)))}\n`));
    return lines;
  }

  /** What belongs to a project, in all folders. */
  itemsOfOwner(owner: string): SweepItem[] {
    return [...this.roots.values()].flatMap(({ items }) => items.filter((item) => item.owner === owner));
  }

  plan(selection: Selection): SweepPlan {
    return this.planOf(selection, () => true);
  }

  /** @param looks which items are looked at once more now */
  private planOf(selection: Selection, looks: (item: FoundItem) => boolean): SweepPlan {
    const gone: Skipped[] = [];
    const chosen = selection.flatMap(({ place, ids }) => {
      const root = this.rootOf(place);
      const seen: Chosen[] = [];
      for (const id of ids) {
        const item = root.listed.get(id);
        if (item) seen.push(root.look(item, looks));
        else gone.push({ place, id, reason: "it is not listed" });
      }
      return seen;
    });
    return planSweep(chosen, gone);
  }

  /** Moves what is chosen to holding, what cannot go left out. */
  async hold(selection: Selection, by: string): Promise<HeldReport> {
    // A single file is looked at just as it moves.
    const plan = this.planOf(selection, ({ isFolder }) => isFolder);
    const batches: PlacedBatch[] = [];
    const skipped: Skipped[] = [...plan.skipped];
    for (const [place, root] of this.roots) {
      const items = plan.items.filter((item) => item.place === place);
      if (items.length === 0) continue;
      root.expectMoves(items.length);
      const { batch, stayed } = await root.holding.hold(
        items.map((item) => heldItem(item, root.found(item.id)!.isFolder)),
        by,
      );
      if (batch) batches.push({ ...batch, place });
      skipped.push(...stayed.map(({ path: id, reason }) => ({ place, id, reason })));
      this.classifyOne(root);
    }
    return { batches, skipped };
  }

  async holds(): Promise<PlacedBatch[]> {
    for (const { holding } of this.roots.values())
      // What cannot be looked at now is told as it was.
      await holding.look().catch((error: unknown) => console.warn(String(error)));
    return [...this.roots].flatMap(([place, { holding }]) => holding.list().map((batch) => ({ ...batch, place })));
  }

  heldItems(batch: string): (HeldItem & { number: number })[] {
    const root = [...this.roots.values()].find(({ holding }) => holding.has(batch));
    return [...(root?.holding.itemsOf(batch) ?? [])].map(([number, item]) => ({ number, ...item }));
  }

  /** What was brought back is listed again after the next scan, which is due then. */
  restore(place: string, batch: string, numbers?: readonly number[]): Promise<Stayed[]> {
    const root = this.rootOf(place);
    root.expectMoves(numbers?.length ?? root.holding.itemsOf(batch).size);
    return root.holding.restore(batch, numbers);
  }

  /** @returns what stayed, with the reason */
  empty(place: string, batch: string, numbers?: readonly number[]): Promise<Stayed[]> {
    return this.rootOf(place).holding.empty(batch, numbers);
  }

  /** Goes on with what was being let go when an interruption came. */
  async finish(): Promise<void> {
    for (const [id, { holding }] of this.roots)
      await holding.finish().catch((error: unknown) => console.warn(`${id}: ${String(error)}`));
  }

  /**
   * What rules would take now.
   * @param own items of the product's own locations, which are not known here
   */
  judge(
    rules: readonly CleaningRule[],
    own: readonly SweepItem[],
    drives: readonly (readonly [place: string, drive: RuledDrive])[],
    closed?: string,
  ): RuleVerdict[] {
    const items = [...own, ...[...this.roots.values()].flatMap((root) => root.items)];
    return judge(rules, items, { drives: new Map(drives), nowMs: Date.now(), closed });
  }

  /** What paths would be by a rule file, whether it is the one in force or not. */
  explain(ruleFile: RuleFile, paths: readonly string[]): PathVerdict[] {
    const rules = compileRules(ruleFile);
    return paths.map((one) => explainPath(rules, one));
  }

  projectFiles(): ProjectFile[] {
    const all = [...this.projects.values()].flatMap(({ files }) => files);
    return [...new Map(all.map((file) => [file.file, file])).values()];
  }

  private lookForProjects({ place }: FoundRoot): void {
    this.projects.set(place.id, findProjectFiles(place.projects, this.rules!));
  }

  private classifyAll(): void {
    this.classifiedMs = Date.now();
    for (const root of this.roots.values()) this.classifyOne(root);
  }

  private classifyOne(root: FoundRoot): void {
    const projects = this.projects.get(root.place.id);
    if (!this.terms || !projects) return;
    const versions = new Map<string, number>();
    for (const { owner, version } of projects.files)
      if (version !== undefined) versions.set(owner, Math.max(version, versions.get(owner) ?? 0));
    const knowledge: ProjectKnowledge = {
      ...(root.place.projects.length > 0 ? { projects: new Set(projects.files.map(({ owner }) => owner)) } : {}),
      versions,
      unreadable: projects.unreadable,
      marks: this.terms.marks,
      ...(this.terms.pace === undefined ? {} : { pace: this.terms.pace }),
    };
    root.classify(knowledge, Date.now());
  }

  private rootOf(id: string): FoundRoot {
    const place = this.places.get(id);
    const root = place && this.openRoot(place);
    if (root) return root;
    throw new Error(this.faults.get(id) ?? `There is no registered folder ${id}`);
  }
}

export function heldItem(item: SweepItem, isFolder: boolean, below = item.id): HeldItem {
  const { kind, owner, project, bytes, files, rebuildMs } = item;
  return {
    path: below,
    isFolder,
    kind,
    ...(owner === undefined ? {} : { owner }),
    project,
    bytes,
    files,
    ...(rebuildMs === undefined ? {} : { rebuildMs }),
  };
}
