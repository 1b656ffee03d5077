import type { Stats } from "node:fs";
import { Folder } from "../files/folder";

// As many folders are held open at once.
const MOST_HELD = 16;
// A file is moved in a part of that.
const MOMENT_MS = 0.5;

/** The folders that items lie in, below the one that they are taken from or brought back to. */
export class HeldFolders {
  private readonly held = new Map<string, Folder>();
  /** Where the last item lay: the next one most often lies there too. */
  private last: { readonly path: string; readonly folder: Folder; readonly lookedMs: number } | undefined;

  /** @param makes whether folders that are gone are made again */
  constructor(
    private readonly root: Folder,
    private readonly makes = false,
  ) {}

  /**
   * The folder that an item lies in, as it is now.
   * @param below path of the item @throws Error with the codes of `Folder`
   */
  to(below: string): Folder {
    const end = below.lastIndexOf("/");
    if (end < 0) return this.root;
    const nowMs = performance.now();
    const { last } = this;
    const isLast = last?.path.length === end && below.startsWith(last.path);
    if (isLast && nowMs - last.lookedMs < MOMENT_MS) return last.folder;
    const path = below.slice(0, end);
    const folder = this.open(path);
    this.last = { path, folder, lookedMs: nowMs };
    return folder;
  }

  private open(path: string): Folder {
    const known = this.held.get(path);
    if (known?.isHere) return known;
    this.letGo(path);
    // As the other folders of the tree: what is made again is not the application's own.
    const folder = this.makes ? this.root.makeWay(path.split("/"), 0o777) : this.root.enter(path);
    if (this.held.size >= MOST_HELD) this.letGo(this.held.keys().next().value!);
    this.held.set(path, folder);
    return folder;
  }

  private letGo(path: string): void {
    const folder = this.held.get(path);
    if (!folder) return;
    folder.close();
    this.held.delete(path);
    if (this.last?.folder === folder) this.last = undefined;
  }

  close(): void {
    for (const folder of this.held.values()) folder.close();
    this.held.clear();
  }
}

/** Name of an item in the folder that it lies in. */
export function nameOf(below: string): string {
  return below.slice(below.lastIndexOf("/") + 1);
}

/** What is at a path below a folder, links not followed. */
export function statBelow(root: Folder, below: string): Stats | undefined {
  const end = below.lastIndexOf("/");
  if (end < 0) return root.stat(below);
  const folder = root.enter(below.slice(0, end));
  try {
    return folder.stat(nameOf(below));
  } finally {
    folder.close();
  }
}
