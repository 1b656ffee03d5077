import { lstat } from "node:fs/promises";
import { Folder } from "./folder";

// A drive whose folders are held open cannot be taken off.
const RESTS_MS = 1000;

interface Held {
  readonly folder: Folder;
  users: number;
}

/**
 * A folder by its path, for work that comes again and again. It is held from the first use on until it rests, and opened
 * anew when something else is at its path by then.
 */
export class Place {
  private held: Held | undefined;
  private timer: NodeJS.Timeout | undefined;

  /** @param path full, without links */
  constructor(readonly path: string) {}

  /** @throws Error with the codes of `Folder` */
  async use<T>(work: (folder: Folder) => Promise<T> | T): Promise<T> {
    const held = await this.hold();
    held.users++;
    try {
      return await work(held.folder);
    } finally {
      held.users--;
      this.rest(held);
    }
  }

  private async hold(): Promise<Held> {
    if (this.held?.folder.isHere) return this.held;
    // Asked in a way that holds up nobody when the drive does not answer.
    await lstat(this.path);
    if (this.held?.folder.isHere) return this.held;
    this.letGo();
    this.held = { folder: Folder.open(this.path), users: 0 };
    return this.held;
  }

  private rest(held: Held): void {
    if (held !== this.held) {
      if (held.users === 0) held.folder.close();
      return;
    }
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      if (this.held?.users === 0) this.letGo();
    }, RESTS_MS);
    this.timer.unref();
  }

  /** Lets the folder go when its last user is done. */
  letGo(): void {
    clearTimeout(this.timer);
    if (this.held?.users === 0) this.held.folder.close();
    this.held = undefined;
  }
}
