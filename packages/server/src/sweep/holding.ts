import { randomBytes } from "node:crypto";
import {
  linkSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  realpathSync,
  renameSync,
  rmdirSync,
  rmSync,
  unlinkSync,
} from "node:fs";
import path from "node:path";
import type { Batch, BatchHead, Bytes, HeldItem, Stayed } from "@kinetocache/core";
import { readBatch, writeBatch, type BatchContent } from "./batchFile";

/** How a place looks after what moves out of it and back. */
export interface Keeper {
  /** Asked just before an item moves: why it must not, or nothing. */
  readonly refuse?: (item: HeldItem) => string | undefined;
  readonly gone?: (item: HeldItem) => void;
  readonly back?: (item: HeldItem) => Promise<void> | void;
  /** Whether what is in an item's place by now is as good as the held one, which then goes. */
  readonly isSame?: (item: HeldItem) => boolean;
}

interface Held extends BatchHead {
  /** By number. */
  readonly items: Map<number, HeldItem>;
}

const BATCH_ID = /^(\d{13})-[0-9a-f]{8}$/;
const LIST = "batch.jsonl";
/** There while items move: one of them may be in both places. */
const MOVING = "moving";
const GONE = ".gone";
const NUMBER = /^\d+$/;
// Items that lie in one folder: moving twenty thousand into one takes half as long again.
const SHELF = 250;
// Files are moved at once; in between whoever else waits gets a turn.
const TURN_MS = 8;

/**
 * Where swept files wait: `<folder>/<batch>/<shelf>/<number>` on the drive that they were on, so that a move copies
 * nothing. What is in a batch is what lies there, by the list beside it: every file is in one place at any instant, and what an
 * interruption left can be brought back or let go as everything else. Moves run one after another.
 */
export class Holding {
  private readonly batches = new Map<string, Held>();
  private queue: Promise<unknown> = Promise.resolve();
  private total = 0;

  private constructor(
    private readonly place: string,
    private readonly folder: string,
    private readonly keeper: Keeper,
  ) {}

  /**
   * Opens holding and finishes what was interrupted.
   * @param place folder that items are taken from, without links @param folder where they wait, on the same drive
   */
  static open(place: string, folder: string, keeper: Keeper = {}): Holding {
    const holding = new Holding(place, folder, keeper);
    let names: string[] = [];
    try {
      names = readdirSync(folder);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
    }
    for (const name of names.sort()) {
      if (name.endsWith(GONE)) rmSync(path.join(folder, name), { recursive: true, force: true });
      else if (BATCH_ID.test(name)) holding.load(name);
    }
    return holding;
  }

  private load(id: string): void {
    const folder = path.join(this.folder, id);
    let content: BatchContent;
    try {
      content = readBatch(path.join(folder, LIST));
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === "ENOENT" && isEmptyOf(folder)) {
        // The list was not there yet, so nothing was moved.
        rmSync(folder, { recursive: true });
        return;
      }
      // It stays: somebody may know what it is.
      console.warn(`${folder} is not listed in holding: ${(error as Error).message}`);
      return;
    }
    const held: Held = { id, sweptMs: content.sweptMs, by: content.by, items: new Map() };
    for (const shelf of readdirSync(folder).filter((name) => NUMBER.test(name)))
      for (const name of readdirSync(path.join(folder, shelf))) {
        if (name.endsWith(GONE)) rmSync(path.join(folder, shelf, name), { recursive: true, force: true });
        const item = content.items[Number(name)];
        if (item && NUMBER.test(name)) held.items.set(Number(name), item);
      }
    this.batches.set(id, held);
    this.total += sumOf(held);
    if (lstatSync(path.join(folder, MOVING), { throwIfNoEntry: false })) this.finishMoving(held);
    this.closeIfEmpty(held);
  }

  /** A file that was in both places is in its own again. */
  private finishMoving(held: Held): void {
    for (const [number, item] of held.items) {
      const from = this.heldPath(held.id, number);
      const [here, there] = [from, this.ownPath(item)].map((file) => lstatSync(file, { throwIfNoEntry: false }));
      if (here && there && here.ino === there.ino && here.dev === there.dev && !item.isFolder) {
        unlinkSync(from);
        this.forget(held, number);
      }
    }
    rmSync(path.join(this.folder, held.id, MOVING), { force: true, recursive: true });
  }

  /** Bytes that wait. */
  get bytes(): Bytes {
    return this.total;
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
    return this.enqueue(async () => {
      const sweptMs = Date.now();
      const id = `${sweptMs}-${randomBytes(4).toString("hex")}`;
      const folder = path.join(this.folder, id);
      // The place itself is never made: it is gone with its drive then.
      if (!lstatSync(this.folder, { throwIfNoEntry: false })) mkdirSync(this.folder);
      mkdirSync(folder);
      const mark = path.join(folder, MOVING);
      try {
        writeBatch(path.join(folder, LIST), { id, sweptMs, by, items });
        for (let number = 0; number < items.length; number += SHELF) mkdirSync(path.dirname(this.heldPath(id, number)));
        mkdirSync(mark);
      } catch (error) {
        rmSync(folder, { recursive: true, force: true });
        throw error;
      }
      const held: Held = { id, sweptMs, by, items: new Map() };
      const stayed: Stayed[] = [];
      const ways = new Ways(this.place);
      const turn = new Turn();
      for (const [number, item] of items.entries()) {
        const reason = this.take(item, this.heldPath(id, number), ways);
        if (reason === undefined) {
          held.items.set(number, item);
          this.total += item.bytes;
          this.keeper.gone?.(item);
        } else stayed.push({ path: item.path, reason });
        await turn.giveWay();
      }
      rmdirSync(mark);
      this.batches.set(id, held);
      this.closeIfEmpty(held);
      return { batch: this.list().find((batch) => batch.id === id), stayed };
    });
  }

  private take(item: HeldItem, to: string, ways: Ways): string | undefined {
    try {
      const refused = ways.fault(item.path) ?? this.keeper.refuse?.(item);
      if (refused !== undefined) return refused;
      if (item.isFolder) renameSync(this.ownPath(item), to);
      else moveFile(this.ownPath(item), to);
      return undefined;
    } catch (error) {
      return faultText(error);
    }
  }

  /**
   * Moves items of a batch back to their places; nothing that is there by now is overwritten.
   * @param numbers all of it when left out
   */
  restore(id: string, numbers?: readonly number[]): Promise<Stayed[]> {
    return this.enqueue(async () => {
      const held = this.batches.get(id);
      if (!held) return [];
      const stayed: Stayed[] = [];
      const ways = new Ways(this.place, true);
      const turn = new Turn();
      const mark = path.join(this.folder, id, MOVING);
      mkdirSync(mark, { recursive: true });
      for (const number of numbers ?? [...held.items.keys()]) {
        const item = held.items.get(number);
        if (!item) continue;
        const reason = this.bringBack(item, this.heldPath(id, number), ways);
        if (reason === undefined) {
          this.forget(held, number);
          await this.keeper.back?.(item);
        } else stayed.push({ path: item.path, reason });
        await turn.giveWay();
      }
      rmdirSync(mark);
      this.closeIfEmpty(held);
      return stayed;
    });
  }

  private bringBack(item: HeldItem, from: string, ways: Ways): string | undefined {
    try {
      const fault = ways.fault(item.path);
      if (fault !== undefined) return fault;
      const to = this.ownPath(item);
      if (item.isFolder) {
        // A rename takes the place of an empty folder, and of nothing else.
        if (lstatSync(to, { throwIfNoEntry: false })) return "something else is in its place";
        renameSync(from, to);
        return undefined;
      }
      try {
        moveFile(from, to);
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== "EEXIST" || !this.keeper.isSame?.(item)) throw error;
        unlinkSync(from);
      }
      return undefined;
    } catch (error) {
      return faultText(error);
    }
  }

  /** Removes items of a batch for good. @param numbers all of it when left out */
  empty(id: string, numbers?: readonly number[]): Promise<void> {
    return this.enqueue(async () => {
      const held = this.batches.get(id);
      if (!held) return;
      const turn = new Turn();
      for (const number of numbers ?? [...held.items.keys()]) {
        const item = held.items.get(number);
        if (!item) continue;
        const file = this.heldPath(id, number);
        if (item.isFolder) {
          // Half a folder must never be brought back: it gets another name first.
          renameSync(file, file + GONE);
          rmSync(file + GONE, { recursive: true, force: true });
        } else unlinkSync(file);
        this.forget(held, number);
        await turn.giveWay();
      }
      this.closeIfEmpty(held);
    });
  }

  private forget(held: Held, number: number): void {
    this.total -= held.items.get(number)?.bytes ?? 0;
    held.items.delete(number);
  }

  /** Nothing waits in it any more. */
  private closeIfEmpty({ id, items }: Held): void {
    if (items.size > 0) return;
    this.batches.delete(id);
    const folder = path.join(this.folder, id);
    renameSync(folder, folder + GONE);
    rmSync(folder + GONE, { recursive: true, force: true });
  }

  private ownPath({ path: below }: HeldItem): string {
    return `${this.place}/${below}`;
  }

  private heldPath(id: string, number: number): string {
    return `${this.folder}/${id}/${Math.floor(number / SHELF)}/${number}`;
  }

  private enqueue<T>(work: () => Promise<T>): Promise<T> {
    const result = this.queue.then(work);
    this.queue = result.catch(() => undefined);
    return result;
  }
}

/**
 * Moves a file, and never in the place of another: a rename would take that. It has both names for an instant, which
 * also takes a third less time than a rename to another folder.
 * @throws Error with code EEXIST when something is there
 */
function moveFile(from: string, to: string): void {
  try {
    linkSync(from, to);
  } catch (error) {
    if (!NO_LINKS.has((error as NodeJS.ErrnoException).code ?? "")) throw error;
    // A drive without second names.
    if (lstatSync(to, { throwIfNoEntry: false })) throw Object.assign(new Error(`${to} is there`), { code: "EEXIST" });
    renameSync(from, to);
    return;
  }
  try {
    unlinkSync(from);
  } catch (error) {
    // Where it may not be taken away it stays, under the one name that it had.
    unlinkSync(to);
    throw error;
  }
}

const NO_LINKS: ReadonlySet<string> = new Set(["EPERM", "ENOTSUP", "EMLINK", "ENOSYS", "EOPNOTSUPP"]);

/** Whether the way to items leads through the folders that it names, and not elsewhere through a link. */
class Ways {
  private readonly checked = new Map<string, string | undefined>();

  /** @param makes whether folders that are gone are made again */
  constructor(
    private readonly place: string,
    private readonly makes = false,
  ) {}

  fault(below: string): string | undefined {
    const folder = below.slice(0, Math.max(0, below.lastIndexOf("/")));
    if (this.checked.has(folder)) return this.checked.get(folder);
    const fault = this.look(folder);
    this.checked.set(folder, fault);
    return fault;
  }

  private look(folder: string): string | undefined {
    let at = this.place;
    for (const part of folder === "" ? [] : folder.split("/")) {
      at += `/${part}`;
      const stats = lstatSync(at, { throwIfNoEntry: false });
      if (!stats && this.makes) mkdirSync(at);
      else if (!stats) return "it is gone";
      else if (!stats.isDirectory()) return "a link or a file is in the way to it";
    }
    return realpathSync(at) === at ? undefined : "the way to it leads elsewhere";
  }
}

/** Lets others have a turn now and then. */
class Turn {
  private since = performance.now();

  async giveWay(): Promise<void> {
    if (performance.now() - this.since < TURN_MS) return;
    await new Promise((resolve) => setImmediate(resolve));
    this.since = performance.now();
  }
}

function sumOf({ items }: Held): Bytes {
  let sum = 0;
  for (const { bytes } of items.values()) sum += bytes;
  return sum;
}

function isEmptyOf(folder: string): boolean {
  return readdirSync(folder).every((name) => name.startsWith(LIST));
}

const FAULTS: Readonly<Record<string, string>> = {
  ENOENT: "it is gone",
  ENOTDIR: "it is gone",
  EACCES: "it may not be moved",
  EPERM: "it may not be moved",
  EROFS: "the drive can only be read",
  EBUSY: "something is mounted in it, or another program holds it",
  EXDEV: "it is on another drive",
  ENOTEMPTY: "something else is in its place",
  EEXIST: "something else is in its place",
  ENAMETOOLONG: "its path is too long to be moved",
  ENOSPC: "the drive is full",
  EIO: "the drive does not answer",
  ENODEV: "the drive does not answer",
};

function faultText(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  return FAULTS[code ?? ""] ?? message;
}
