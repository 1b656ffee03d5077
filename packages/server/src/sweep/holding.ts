import { randomBytes } from "node:crypto";
import type { Stats } from "node:fs";
import type { Batch, BatchHead, Bytes, HeldItem, Stayed } from "@kinetocache/core";
import PQueue from "p-queue";
import { atOneGo, Folder, GONE, holdsFolders } from "../files/folder";
import { hasMount } from "../files/mounts";
import { readBatch, writeBatch, type ReadBatch } from "./batchFile";
import { nameOf, HeldFolders } from "./heldFolders";

/** How a place looks after what moves out of it and back. */
export interface Keeper {
  /** Asked just before an item moves: why it must not, or nothing. @param stats what it is now */
  readonly refuse?: (item: HeldItem, stats: Stats) => string | undefined;
  readonly gone?: (item: HeldItem) => void;
  readonly back?: (item: HeldItem) => Promise<void> | void;
  /** Asked just before an item comes back: why it must not, or nothing. @param by what swept it */
  readonly refuseBack?: (item: HeldItem, by: string) => string | undefined;
  /** Whether what is in an item's place by now is as good as the held one, which then goes. */
  readonly isSame?: (item: HeldItem) => boolean;
}

interface Held extends BatchHead {
  /** By number. */
  readonly items: Map<number, HeldItem>;
}

/** Sweeps what a cap that is lowered has no room for. It waits beyond the cap, or it could not wait at all. */
export const LOWER_CAP = "a lower cap";

// Earlier releases named a batch by the clock.
const BATCH_ID = /^(batch-[0-9a-f]{16}|-?\d{1,16}-[0-9a-f]{8})$/;
const LIST = "batch.jsonl";
/** There while items move: one of them may be in both places. */
const MOVING = "moving";
/** The same while none does: changing its name takes no room, and a full drive has none. */
const STILL = "still";
const NUMBER = /^\d+$/;
const LEFTOVER = /^(\d+)\.gone$/;
// Items that lie in one folder: moving twenty thousand into one takes half as long again.
const SHELF = 250;
// Files are moved at once; in between whoever else waits gets a turn.
const TURN_MS = 8;
const LOST = "it is gone from holding";

/**
 * Where swept files wait: `<name>/<batch>/<shelf>/<number>` on the drive that they were on, so that a move copies
 * nothing. What is in a batch is what lies there, by the list beside it: every file is in one place at any instant, and
 * what an interruption left can be brought back or let go as everything else. What the list does not tell stays where it
 * is. Moves run one after another.
 */
export class Holding {
  private readonly batches = new Map<string, Held>();
  private readonly acts = new PQueue({ concurrency: 1 });
  private total = 0;
  private beyondCap = 0;

  private constructor(
    private readonly place: string,
    private readonly name: string,
    private readonly keeper: Keeper,
  ) {}

  /**
   * Opens holding, and removes nothing.
   * @param place folder that items are taken from, without links @param name of the folder in it where they wait
   * @throws Error when one of the two is a link
   */
  static open(place: string, name: string, keeper: Keeper = {}): Holding {
    const holding = new Holding(place, name, keeper);
    const root = Folder.open(place);
    try {
      if (root.stat(name)) holding.load(root);
    } finally {
      root.close();
    }
    return holding;
  }

  private load(root: Folder): void {
    const folder = root.enter(this.name);
    try {
      for (const id of folder.names().sort())
        if (BATCH_ID.test(id) && !this.batches.has(id)) this.loadBatch(root, folder, id);
    } finally {
      folder.close();
    }
  }

  /** A batch that cannot be understood stays, and is named: somebody may know what it is. */
  private loadBatch(root: Folder, holding: Folder, id: string): void {
    let folder: Folder | undefined;
    try {
      folder = holding.enter(id);
      // Without its list nothing was moved into it yet; it goes with the next batch that is closed.
      if (!folder.stat(LIST) && folder.names().every((name) => name.startsWith(LIST))) return;
      const list = readBatch(folder, LIST);
      const held: Held = { id, sweptMs: list.sweptMs, by: list.by, items: new Map() };
      const unlisted = this.loadShelves(folder, list, held);
      if (unlisted > 0)
        console.warn(`${unlisted} files in ${folder.path} are in no list; they stay there, and are not emptied`);
      if (folder.stat(MOVING)) this.finishMoving(root, folder, held);
      this.count(held, sumOf(held));
      if (held.items.size > 0) this.batches.set(id, held);
    } catch (error) {
      console.warn(`${this.place}/${this.name}/${id} is not listed in holding: ${(error as Error).message}`);
    } finally {
      folder?.close();
    }
  }

  /** @returns how many things lie there that the list does not tell */
  private loadShelves(folder: Folder, { items }: ReadBatch, held: Held): number {
    let unlisted = 0;
    for (const shelf of folder.entries()) {
      if (!shelf.isDirectory() || !NUMBER.test(shelf.name)) continue;
      const inside = folder.enter(shelf.name);
      try {
        for (const entry of inside.entries()) {
          const number = Number(entry.name);
          const item = NUMBER.test(entry.name) && shelfOf(number) === shelf.name ? items.get(number) : undefined;
          if (item && item.isFolder === entry.isDirectory()) held.items.set(number, item);
          else if (!LEFTOVER.test(entry.name)) unlisted++;
        }
      } finally {
        inside.close();
      }
    }
    return unlisted;
  }

  /** A file that was in both places is in its own again. */
  private finishMoving(root: Folder, folder: Folder, held: Held): void {
    const folders = new HeldFolders(root);
    const shelves = new Shelves(folder);
    try {
      for (const [number, item] of held.items) {
        if (item.isFolder) continue;
        const shelf = shelves.of(number);
        const [here, there] = [shelf.stat(String(number)), statOf(folders, item.path)];
        if (!here || here.ino !== there?.ino || here.dev !== there.dev) continue;
        shelf.remove(String(number));
        held.items.delete(number);
      }
      endMoving(folder);
    } finally {
      folders.close();
      shelves.close();
    }
  }

  /** Looks once more what waits: another server may have swept the same folder, or let go what was. */
  look(): Promise<void> {
    return this.act((root) => {
      const holding = root.stat(this.name) ? root.enter(this.name) : undefined;
      const there = new Set(holding?.names().filter((id) => BATCH_ID.test(id)));
      holding?.close();
      for (const [id, held] of this.batches) {
        if (there.has(id)) continue;
        this.count(held, -sumOf(held));
        this.batches.delete(id);
      }
      if ([...there].some((id) => !this.batches.has(id))) this.load(root);
    });
  }

  /** Bytes that wait. */
  get bytes(): Bytes {
    return this.total;
  }

  /** Those of them that a lower cap had no room for. */
  get beyondCapBytes(): Bytes {
    return this.beyondCap;
  }

  private count({ by }: Held, bytes: Bytes): void {
    this.total += bytes;
    if (by === LOWER_CAP) this.beyondCap += bytes;
  }

  has(id: string): boolean {
    return this.batches.has(id);
  }

  list(): Batch[] {
    return [...this.batches.values()].map(({ id, sweptMs, by, items }) => {
      const all = [...items.values()];
      return {
        id,
        sweptMs,
        by,
        items: all.length,
        files: all.reduce((sum, { files }) => sum + files, 0),
        bytes: all.reduce((sum, { bytes }) => sum + bytes, 0),
        rebuildMs: all.reduce((sum, { rebuildMs = 0 }) => sum + rebuildMs, 0),
        projects: [...new Set(all.map(({ project }) => project))],
      };
    });
  }

  /** Items of a batch by their numbers. */
  itemsOf(id: string): ReadonlyMap<number, HeldItem> {
    return this.batches.get(id)?.items ?? new Map<number, HeldItem>();
  }

  /**
   * Moves items to a new batch.
   * @returns the batch, undefined when nothing moved, and what stayed with the reason
   * @throws Error with its code when the list cannot be written; nothing has moved then
   */
  hold(items: readonly HeldItem[], by: string): Promise<{ readonly batch?: Batch; readonly stayed: Stayed[] }> {
    return this.act(async (root) => {
      // The place itself is never made: it is gone with its drive then.
      const holding = root.make(this.name);
      const id = `batch-${randomBytes(8).toString("hex")}`;
      const held: Held = { id, sweptMs: Date.now(), by, items: new Map() };
      const folders = new HeldFolders(root);
      let folder: Folder | undefined;
      let shelves: Shelves | undefined;
      try {
        folder = begin(holding, held, items);
        const onShelves = (shelves = new Shelves(folder));
        const stayed: Stayed[] = [];
        await inTurns(items.entries(), ([number, item]) => {
          const reason = this.take(item, String(number), onShelves, folders);
          if (reason === undefined) {
            held.items.set(number, item);
            this.count(held, item.bytes);
            this.keeper.gone?.(item);
          } else stayed.push({ path: item.path, reason });
        });
        this.batches.set(id, held);
        endMoving(folder);
        this.closeIfEmpty(holding, held);
        return { batch: this.list().find((batch) => batch.id === id), stayed };
      } finally {
        folders.close();
        shelves?.close();
        folder?.close();
        holding.close();
      }
    });
  }

  private take(item: HeldItem, number: string, shelves: Shelves, folders: HeldFolders): string | undefined {
    try {
      const from = folders.to(item.path).near();
      const name = nameOf(item.path);
      const stats = from.stat(name);
      if (!stats) return "it is gone";
      const refused = this.refusal(item, stats);
      if (refused !== undefined) return refused;
      if (item.isFolder && hasMount(`${from.path}/${name}`)) return "another drive is mounted in it";
      // On the shelf nothing has that name. What took its place in the last instant is in the same folder, and comes back.
      from.move(name, shelves.of(Number(number)), number);
      return undefined;
    } catch (error) {
      return faultText(error);
    }
  }

  private refusal(item: HeldItem, stats: Stats): string | undefined {
    if (item.isFolder !== stats.isDirectory() || stats.isSymbolicLink()) return "it is not what it was";
    return this.keeper.refuse?.(item, stats);
  }

  /**
   * Moves items of a batch back to their places; nothing that is there by now is overwritten.
   * @param numbers all of it when left out
   */
  restore(id: string, numbers?: readonly number[]): Promise<Stayed[]> {
    return this.act((root) =>
      this.inBatch(root, id, async (held, folder, holding) => {
        const stayed: Stayed[] = [];
        const folders = new HeldFolders(root, true);
        const shelves = new Shelves(folder);
        try {
          beginMoving(folder);
          await inTurns(chosen(held, numbers), ([number, item]) => {
            const reason =
              this.keeper.refuseBack?.(item, held.by) ?? this.bringBack(item, String(number), shelves, folders);
            if (reason === undefined || reason === LOST) this.forget(held, number);
            if (reason === undefined) return this.keeper.back?.(item);
            stayed.push({ path: item.path, reason });
            return undefined;
          });
          endMoving(folder);
        } catch (error) {
          // Nothing can be moved there now, so all that is left stays.
          stayed.push(...chosen(held, numbers).map(([, item]) => ({ path: item.path, reason: faultText(error) })));
        } finally {
          folders.close();
          shelves.close();
        }
        this.closeIfEmpty(holding, held);
        return stayed;
      }),
    ).then((stayed) => stayed ?? []);
  }

  private bringBack(item: HeldItem, number: string, shelves: Shelves, folders: HeldFolders): string | undefined {
    try {
      const shelf = shelves.of(Number(number)).near();
      const to = folders.to(item.path);
      const name = nameOf(item.path);
      if (item.isFolder) {
        const held = shelf.stat(number);
        if (!held) return LOST;
        if (!held.isDirectory()) return "it is not what was held";
        // A rename takes the place of an empty folder, and of nothing else.
        if (to.stat(name)) return "something else is in its place";
      }
      try {
        moveItem(shelf, number, to, name, item.isFolder);
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== "EEXIST" || !this.keeper.isSame?.(item)) throw error;
        shelf.remove(number);
      }
      return undefined;
    } catch (error) {
      const isLost = (error as NodeJS.ErrnoException).code === "ENOENT" && !shelves.of(Number(number)).stat(number);
      return isLost ? LOST : faultText(error);
    }
  }

  /**
   * Removes items of a batch for good.
   * @param numbers all of it when left out
   * @returns what stayed, with the reason
   */
  empty(id: string, numbers?: readonly number[]): Promise<Stayed[]> {
    return this.act((root) =>
      this.inBatch(root, id, async (held, folder, holding) => {
        const stayed: Stayed[] = [];
        const shelves = new Shelves(folder);
        try {
          await inTurns(chosen(held, numbers), ([number, item]) => {
            const reason = letGo(item, String(number), shelves);
            if (reason === undefined) this.forget(held, number);
            else stayed.push({ path: item.path, reason });
          });
        } finally {
          shelves.close();
        }
        this.closeIfEmpty(holding, held);
        return stayed;
      }),
    ).then((stayed) => stayed ?? []);
  }

  /** Goes on with what was being let go when an interruption came, and closes batches that are empty. */
  finish(): Promise<void> {
    return this.act((root) => {
      if (!root.stat(this.name)) return;
      const holding = root.enter(this.name);
      try {
        for (const id of holding.names()) if (BATCH_ID.test(id)) this.finishBatch(holding, id);
      } finally {
        holding.close();
      }
    });
  }

  private finishBatch(holding: Folder, id: string): void {
    try {
      const folder = holding.enter(id);
      try {
        if (folder.stat(LIST)) removeLeftovers(folder, readBatch(folder, LIST));
      } finally {
        folder.close();
      }
      if (!this.batches.has(id)) closeBatch(holding, id);
    } catch (error) {
      console.warn(`${holding.path}/${id} was left as it is: ${(error as Error).message}`);
    }
  }

  private forget(held: Held, number: number): void {
    this.count(held, -(held.items.get(number)?.bytes ?? 0));
    held.items.delete(number);
  }

  /** Nothing waits in it any more. */
  private closeIfEmpty(holding: Folder, { id, items }: Held): void {
    if (items.size > 0) return;
    this.batches.delete(id);
    closeBatch(holding, id);
  }

  /** One act after another, each in the place as it is then. */
  private act<T>(work: (root: Folder) => Promise<T> | T): Promise<T> {
    return this.acts.add(async () => {
      if (holdsFolders()) return Folder.with(this.place, work);
      throw new Error("This system gives no hold on a folder, so that it cannot be made sure what would move");
    });
  }

  private async inBatch<T>(
    root: Folder,
    id: string,
    work: (held: Held, folder: Folder, holding: Folder) => Promise<T>,
  ): Promise<T | undefined> {
    const held = this.batches.get(id);
    if (!held) return undefined;
    const holding = root.enter(this.name);
    try {
      const folder = holding.enter(id);
      try {
        return await work(held, folder, holding);
      } finally {
        folder.close();
      }
    } finally {
      holding.close();
    }
  }
}

/** Makes a batch with its list and all that it needs. @throws Error; nothing is left of it then */
function begin(holding: Folder, { id, sweptMs, by }: Held, items: readonly HeldItem[]): Folder {
  holding.makeFolder(id);
  const folder = holding.enter(id);
  try {
    writeBatch(folder, LIST, { id, sweptMs, by, items });
    for (let number = 0; number < items.length; number += SHELF) folder.makeFolder(shelfOf(number));
    folder.makeFolder(MOVING);
    return folder;
  } catch (error) {
    folder.close();
    closeBatch(holding, id);
    throw error;
  }
}

/** Marks that items move. On a drive without room for the mark it is the one that was made with the batch. */
function beginMoving(folder: Folder): void {
  if (folder.stat(MOVING)) return;
  if (folder.stat(STILL)) folder.move(STILL, folder, MOVING);
  else folder.makeFolder(MOVING);
}

/** A mark that stays where it cannot be changed is only looked at once more. */
function endMoving(folder: Folder): void {
  try {
    folder.move(MOVING, folder, STILL);
  } catch (error) {
    console.warn(`${folder.path}: ${(error as Error).message}`);
  }
}

/** Removes a batch in which nothing waits, and nothing but what was made with it. What else is in it stays, with it. */
function closeBatch(holding: Folder, id: string): void {
  const folder = holding.enter(id);
  try {
    for (const name of folder.names())
      if (NUMBER.test(name) || name === MOVING || name === STILL) folder.removeFolder(name);
    folder.remove(`${LIST}.new`);
    if (folder.names().every((name) => name === LIST)) folder.remove(LIST);
    holding.removeFolder(id);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code !== "ENOTEMPTY" && code !== "EEXIST" && code !== "ENOTDIR") throw error;
    console.warn(`${folder.path} holds what its list does not tell, and stays: ${message}`);
  } finally {
    folder.close();
  }
}

/** Folders that were being let go: half of one is never brought back. */
function removeLeftovers(folder: Folder, { items }: ReadBatch): void {
  for (const shelf of folder.entries()) {
    if (!shelf.isDirectory() || !NUMBER.test(shelf.name)) continue;
    const inside = folder.enter(shelf.name);
    try {
      for (const name of inside.names()) {
        const number = LEFTOVER.exec(name)?.[1];
        if (number === undefined || !items.get(Number(number))?.isFolder) continue;
        for (const left of inside.removeTree(name)) console.warn(`${left}; it stays`);
      }
    } finally {
      inside.close();
    }
  }
}

/** @returns why it stayed */
function letGo(item: HeldItem, number: string, shelves: Shelves): string | undefined {
  try {
    const shelf = shelves.of(Number(number)).near();
    const stats = shelf.stat(number);
    // Somebody else let it go.
    if (!stats) return undefined;
    if (item.isFolder !== stats.isDirectory()) return "it is not what was held";
    if (!item.isFolder) {
      shelf.remove(number);
      return undefined;
    }
    if (hasMount(`${shelf.path}/${number}`)) return "another drive is mounted in it";
    // Half a folder must never be brought back: it gets another name first.
    shelf.move(number, shelf, number + GONE);
    for (const left of shelf.removeTree(number + GONE)) console.warn(`${left}; it stays`);
    return undefined;
  } catch (error) {
    return faultText(error);
  }
}

/** The folders in which the items of a batch lie, one of them open at a time. */
class Shelves {
  private open: { readonly name: string; readonly folder: Folder } | undefined;

  constructor(private readonly batch: Folder) {}

  of(number: number): Folder {
    const name = shelfOf(number);
    if (this.open?.name === name) return this.open.folder;
    this.close();
    this.open = { name, folder: this.batch.enter(name) };
    return this.open.folder;
  }

  close(): void {
    this.open?.folder.close();
    this.open = undefined;
  }
}

function shelfOf(number: number): string {
  return String(Math.floor(number / SHELF));
}

function chosen({ items }: Held, numbers: readonly number[] | undefined): [number, HeldItem][] {
  if (!numbers) return [...items];
  return [...new Set(numbers)].flatMap((number) => {
    const item = items.get(number);
    return item ? [[number, item] as [number, HeldItem]] : [];
  });
}

/** @returns undefined where the way to it cannot be gone */
function statOf(folders: HeldFolders, below: string) {
  try {
    return folders.to(below).stat(nameOf(below));
  } catch {
    return undefined;
  }
}

function moveItem(from: Folder, name: string, to: Folder, toName: string, isFolder: boolean): void {
  if (isFolder) from.move(name, to, toName);
  else from.moveFile(name, to, toName);
}

/** Goes through items at one go for as long as a turn, and then lets others have theirs. */
async function inTurns<T>(all: Iterable<T>, act: (one: T) => Promise<void> | void): Promise<void> {
  const rest = all[Symbol.iterator]();
  let next = rest.next();
  const turn = () => {
    const startMs = performance.now();
    let wait: Promise<void> | void = undefined;
    for (; !next.done && !wait && performance.now() - startMs < TURN_MS; next = rest.next()) wait = act(next.value);
    return wait;
  };
  while (!next.done) await (atOneGo(turn) ?? new Promise((resolve) => setImmediate(resolve)));
}

function sumOf({ items }: Held): Bytes {
  let sum = 0;
  for (const { bytes } of items.values()) sum += bytes;
  return sum;
}

const FAULTS: Readonly<Record<string, string>> = {
  ENOENT: "it is gone",
  ENOTDIR: "a link or a file is in the way to it",
  EACCES: "it may not be moved",
  EPERM: "it may not be moved",
  EROFS: "the drive can only be read",
  EBUSY: "something is mounted in it, or another program holds it",
  EXDEV: "it is on another drive",
  ENOTEMPTY: "something else is in its place",
  EEXIST: "something else is in its place",
  ENAMETOOLONG: "its path is too long to be moved",
  ENOSPC: "the drive is full",
  EDQUOT: "the drive is full",
  EIO: "the drive does not answer",
  ENODEV: "the drive does not answer",
};

function faultText(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  return FAULTS[code ?? ""] ?? message;
}
