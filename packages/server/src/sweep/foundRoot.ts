import type { Stats } from "node:fs";
import {
  classifyFound,
  findItems,
  folderPaths,
  totalBytes,
  type Blocked,
  type Bytes,
  type Chosen,
  type CompiledRules,
  type FileTree,
  type FoundItem,
  type HeldItem,
  type Milliseconds,
  type ProjectKnowledge,
  type SweepFolder,
  type SweepItem,
} from "@kinetocache/core";
import { Folder } from "../files/folder";
import { Holding, type Keeper } from "./holding";
import { decodeTree, writeTree } from "./savedTree";
import { scan, scanAtOnce, scanOn, type ScanProgress } from "./scan";
import { TreeWatch } from "./treeWatch";
import { statBelow } from "./heldFolders";

/** Where swept files of a registered folder wait; it is on the same drive, and left out of every scan. */
const HOLDING_FOLDER = ".kinetocache-holding";

const LARGEST_SCAN = 2 ** 31;
// Watches are let go and taken up again in the time in which so many changes are heard of.
const MANY_MOVES = 1000;

/** What is known of a registered folder. */
export class FoundRoot implements Keeper {
  private tree: FileTree | undefined;
  private byPath = new Map<string, FoundItem>();
  private walk: ReturnType<typeof scan> | undefined;
  /** Of what was found, what has gone to holding since. */
  private goneBytes: Bytes = 0;
  items: readonly SweepItem[] = [];
  private byId: Map<string, SweepItem> | undefined;
  blocked: readonly Blocked[] = [];
  /** When it was gone through last, in milliseconds since the epoch. */
  scannedMs: number | undefined;
  /** What the last scan took, until all that was found was told apart. */
  scanTookMs: Milliseconds | undefined;
  /** Another with every change of what is listed, and after a restart. */
  version = Date.now();
  private readonly watch: TreeWatch;
  readonly holding: Holding;

  /**
   * @param scans folder that keeps scans @param isNominal whether content counts with its length
   * @throws Error when the folder is not there, or a link
   */
  constructor(
    readonly place: SweepFolder,
    private readonly scans: Folder,
    readonly isNominal: boolean,
  ) {
    this.holding = Holding.open(place.folder, HOLDING_FOLDER, this);
    this.watch = new TreeWatch(place.folder, HOLDING_FOLDER);
    const kept = scans.stat(this.index);
    if (!kept) return;
    this.tree = decodeTree(scans.read(this.index, LARGEST_SCAN));
    this.scannedMs = kept.mtimeMs;
    if (this.tree) this.watch.follow(folderPaths(this.tree));
    if (this.isWatched) this.watch.note();
  }

  /** File that keeps the last scan. */
  private get index(): string {
    return `${this.place.id}.scan`;
  }

  /** Bytes of all files in it, items or not; undefined before it was gone through. */
  get totalBytes(): Bytes | undefined {
    return this.tree && totalBytes(this.tree) - this.goneBytes;
  }

  get files(): number {
    return this.tree?.files.name.length ?? 0;
  }

  /** Whether changes below the folder are noticed. */
  get isWatched(): boolean {
    return this.watch.isOn;
  }

  /** Whether something changed since the last scan, and another is due. */
  get isDue(): boolean {
    return this.watch.isDue(Date.now());
  }

  close(): void {
    this.watch.close();
  }

  /**
   * Begins to go through the folder anew; what was known stands until that has come to its end.
   * @param fresh whether folders that look as before are gone through as well
   */
  beginScan(fresh: boolean): void {
    const known = fresh ? undefined : this.tree;
    const leaveOut = new Set([HOLDING_FOLDER]);
    this.walk = scan(this.place.folder, { known, isNominal: this.isNominal, nowMs: Date.now(), leaveOut });
    this.scanTookMs = 0;
    // What changes from now on may be missed by this scan, and is for the next one.
    this.watch.forgetChanges();
  }

  /**
   * Goes on with the scan for a while.
   * @returns how far it is; nothing once it has come to its end
   * @throws Error when the folder cannot be read
   */
  async scanOn(): Promise<ScanProgress | undefined> {
    const startMs = performance.now();
    const step = await scanOn(this.walk!);
    if (step.done) {
      this.tree = step.value;
      this.goneBytes = 0;
      this.walk = undefined;
      this.scannedMs = Date.now();
      this.watch.follow(folderPaths(this.tree));
    }
    this.scanTookMs! += performance.now() - startMs;
    return step.done ? undefined : step.value;
  }

  /** Keeps what was found for the next start. @throws Error when there is no room; the next scan is a first one then */
  save(): void {
    if (this.tree) writeTree(this.scans, this.index, this.tree);
  }

  /** Says that many items are about to move: nobody needs to hear of each. @param items how many */
  expectMoves(items: number): void {
    if (items >= MANY_MOVES) this.watch.rest();
  }

  forget(): void {
    this.scans.remove(this.index);
  }

  /** Reads the items out of what was found. */
  read(rules: CompiledRules, nowMs: number): void {
    const found = this.tree ? findItems(this.tree, rules, nowMs) : { items: [], blocked: [] };
    this.byPath = new Map(found.items.map((item) => [item.path, item]));
    this.blocked = found.blocked;
  }

  /** Says anew what each item is. */
  classify(knowledge: ProjectKnowledge, nowMs: number): void {
    this.items = classifyFound(this.place.id, [...this.byPath.values()], knowledge, nowMs);
    this.byId = undefined;
    this.version++;
  }

  /** What is listed, by id. */
  get listed(): ReadonlyMap<string, SweepItem> {
    return (this.byId ??= new Map(this.items.map((item) => [item.id, item])));
  }

  found(id: string): FoundItem | undefined {
    return this.byPath.get(id);
  }

  /** An item as it is planned, looked at once more. @param looks whether it is */
  look(item: SweepItem, looks: (found: FoundItem) => boolean): Chosen {
    const found = this.byPath.get(item.id);
    if (!found) return { item, fault: "it is not listed any more" };
    return { item, links: found.links, fault: looks(found) ? this.changeOf(found) : undefined };
  }

  private changeOf(found: FoundItem): string | undefined {
    let root: Folder | undefined;
    try {
      root = Folder.open(this.place.folder);
      const stats = statBelow(root, found.path);
      if (!stats) return "it is gone";
      if (!found.isFolder) return fileChange(found, stats);
      if (!stats.isDirectory()) return "it is no folder any more";
      return folderChange(root, found);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === "ENOENT") return "it is gone";
      if (code === "ENOTDIR") return "a link or a file is in the way to it";
      if (code === "EXDEV") return "another drive is mounted in it";
      return code === "ENAMETOOLONG" ? "its path is too long" : "it may not be read";
    } finally {
      root?.close();
    }
  }

  /** A single file is looked at just as it moves; going through a folder takes longer, and was done before. */
  refuse({ path: below }: HeldItem, stats: Stats): string | undefined {
    const found = this.byPath.get(below);
    if (!found) return "it is not listed any more";
    return found.isFolder ? undefined : fileChange(found, stats);
  }

  gone({ path: below, bytes }: HeldItem): void {
    this.byPath.delete(below);
    this.goneBytes += bytes;
  }
}

function fileChange({ size, modifiedMs }: FoundItem, stats: Stats): string | undefined {
  const isSame = stats.isFile() && stats.size === size && stats.mtimeMs === modifiedMs;
  return isSame ? undefined : "it changed since it was listed";
}

/** Anything that was added to a folder, or written in it, may be what is still wanted. */
function folderChange(root: Folder, found: FoundItem): string | undefined {
  const { files, folders } = scanAtOnce(`${root.path}/${found.path}`, root.mount);
  const size = files.size.sum();
  const modifiedMs = files.modifiedMs.largest();
  const unread = folders.notRead.find(Boolean);
  if (unread !== undefined) return `something in it cannot be read: ${unread}`;
  return files.name.length === found.files && size === found.size && modifiedMs === found.modifiedMs
    ? undefined
    : "it changed since it was listed";
}
