import { watch, type FSWatcher } from "node:fs";
import type { Milliseconds } from "@kinetocache/core";

// Each folder takes one of the system's watches, of which there are some thousands for all programs.
const MOST_FOLDERS = 1000;
// What is being written is looked at when it is done; where something is always being written, now and then.
const RESTED_MS = 2000;
const LONGEST_MS = 30_000;

/** Notices that something changes below a folder, where that is cheap: where not too many folders are in it. */
export class TreeWatch {
  private watchers: FSWatcher[] = [];
  private isResting = false;
  /** When something changed since it was last looked at. */
  private changes: { readonly firstMs: Milliseconds; lastMs: Milliseconds } | undefined;

  /** @param leaveOut name of a folder directly below the root that may change */
  constructor(
    private readonly root: string,
    private readonly leaveOut: string,
  ) {}

  get isOn(): boolean {
    return this.watchers.length > 0 || this.isResting;
  }

  /** Whether something changed that is worth a look now. @param nowMs as `Date.now()` */
  isDue(nowMs: Milliseconds): boolean {
    if (!this.changes) return false;
    return nowMs - this.changes.lastMs >= RESTED_MS || nowMs - this.changes.firstMs >= LONGEST_MS;
  }

  /** What changed before is being looked at. */
  forgetChanges(): void {
    this.changes = undefined;
  }

  /** Stops watching until the next `follow`, as so much changes now that a look is due anyway. */
  rest(): void {
    if (!this.isOn) return;
    this.close();
    this.isResting = true;
    this.note();
  }

  /** Watches these folders instead of those before. @param folders paths below the root, "" for the root itself */
  follow(folders: readonly string[]): void {
    const before = this.watchers;
    this.watchers = [];
    this.isResting = false;
    try {
      if (folders.length <= MOST_FOLDERS) for (const folder of folders) this.add(folder);
    } catch (error) {
      console.warn(`Changes in ${this.root} are not noticed: ${(error as Error).message}`);
      this.close();
    }
    for (const one of before) one.close();
  }

  private add(folder: string): void {
    const isRoot = folder === "";
    try {
      const one = watch(`${this.root}/${folder}`, { persistent: false });
      one.on("change", (_event, name) => {
        if (!isRoot || name !== this.leaveOut) this.note();
      });
      one.on("error", () => this.note());
      this.watchers.push(one);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code !== "ENOENT" && code !== "EACCES") throw error;
      // It went, or may not be read; the folder that it was in is watched.
      if (code === "ENOENT") this.note();
    }
  }

  /** Notes that something changed, or may have while nobody watched. */
  note(): void {
    const lastMs = Date.now();
    if (this.changes) this.changes.lastMs = lastMs;
    else this.changes = { firstMs: lastMs, lastMs };
  }

  close(): void {
    for (const one of this.watchers) one.close();
    this.watchers = [];
  }
}
