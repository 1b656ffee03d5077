import type { FileHandle } from "node:fs/promises";
import path from "node:path";
import { isClipName, type Bytes, type ListedMedia, type MediaListing } from "@kinetocache/core";
import { Folder } from "../files/folder";
import { Problem } from "../http/problem";
import type { Locations } from "../volumes/locations";

// Nobody looks through more; a folder that is registered further down lists the rest.
const MOST_FILES = 5000;
const MOST_ENTRIES = 200_000;
const DEEPEST = 16;
const MOST_FAULTS = 20;

/** What a file was when it was last looked at. */
export interface Expected {
  readonly bytes: Bytes;
  readonly modifiedMs: number;
}

export interface OpenMedia {
  /** Whoever opened it closes it. */
  readonly file: FileHandle;
  readonly bytes: Bytes;
}

/** One walk through the folders of source media. */
interface Walk {
  readonly files: ListedMedia[];
  readonly faults: string[];
  entries: number;
  /** Whether there may be more than was listed. */
  isCut: boolean;
}

const FAULTS: Readonly<Record<string, string>> = {
  ENOENT: "is gone",
  ENOTDIR: "is a link or no folder",
  EACCES: "may not be read",
  EPERM: "may not be read",
  EXDEV: "lies on another drive: register it by itself",
};

/** Notes why a folder is not looked through; of very many the first say enough. */
function note({ faults }: Walk, folder: string, error: unknown): void {
  const { code, message } = error as NodeJS.ErrnoException;
  const why = FAULTS[code ?? ""] ?? `cannot be read: ${message}`;
  if (faults.length < MOST_FAULTS) faults.push(`${folder} ${why}`);
  else if (faults.length === MOST_FAULTS) faults.push("There are more folders that cannot be looked through.");
}

/** Clips in the folders that are registered as source media. They are only ever read. */
export class Media {
  constructor(private readonly locations: Locations) {}

  /** All clips; what cannot be looked through is said, and the rest goes on. */
  async list(): Promise<MediaListing> {
    const walk: Walk = { files: [], faults: [], entries: 0, isCut: false };
    for (const { id, folder } of this.folders()) {
      try {
        await Folder.with(folder, (root) => walkThrough(root, id, "", DEEPEST, walk));
      } catch (error) {
        note(walk, folder, error);
      }
    }
    if (walk.isCut)
      walk.faults.push(
        `Only the first ${walk.files.length.toLocaleString("en")} clips are listed; register a folder further down for the rest`,
      );
    return { files: walk.files, faults: walk.faults };
  }

  /**
   * Opens a file for reading.
   * @param below path from the folder on @param expected what it has to be still
   * @throws Problem 403, 404, 409 when it was changed
   */
  async open(location: string, below: string, expected: Expected | undefined): Promise<OpenMedia> {
    const found = this.folders().find(({ id }) => id === location);
    if (!found)
      throw new Problem(
        404,
        "no-folder",
        "The folder that the clip lies in is not registered as source media any more",
      );
    const file = await openBelow(found.folder, below);
    try {
      const stats = await file.stat();
      if (!stats.isFile()) throw new Problem(403, "not-inside", `${below} is no file`);
      const { size: bytes, mtimeMs } = stats;
      const modifiedMs = Math.floor(mtimeMs);
      if (expected && (expected.bytes !== bytes || expected.modifiedMs !== modifiedMs))
        throw new Problem(409, "changed", `${below} was changed since it was last looked at`);
      return { file, bytes };
    } catch (error) {
      await file.close();
      throw error;
    }
  }

  private folders() {
    return this.locations.folders().filter(({ holds }) => holds === "media");
  }
}

async function walkThrough(folder: Folder, location: string, below: string, deeper: number, walk: Walk): Promise<void> {
  const entries = await folder.listedEntries();
  for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
    if (walk.files.length >= MOST_FILES || ++walk.entries > MOST_ENTRIES) {
      walk.isCut = true;
      return;
    }
    const at = below === "" ? entry.name : `${below}/${entry.name}`;
    if (entry.isDirectory()) await walkInto(folder, entry.name, location, at, deeper, walk);
    else if (entry.isFile() && isClipName(entry.name)) {
      // It may be gone by now.
      const stats = folder.stat(entry.name);
      if (stats) walk.files.push({ location, path: at, bytes: stats.size, modifiedMs: Math.floor(stats.mtimeMs) });
    }
  }
}

async function walkInto(
  parent: Folder,
  name: string,
  location: string,
  at: string,
  deeper: number,
  walk: Walk,
): Promise<void> {
  if (deeper === 0) {
    note(walk, path.join(parent.path, name), new Error(`only ${DEEPEST} folders in each other are looked through`));
    return;
  }
  let folder: Folder | undefined;
  try {
    folder = parent.enter(name);
    await walkThrough(folder, location, at, deeper - 1, walk);
  } catch (error) {
    note(walk, path.join(parent.path, name), error);
  } finally {
    folder?.close();
  }
}

/** @throws Problem 403, 404 */
async function openBelow(root: string, below: string): Promise<FileHandle> {
  try {
    return await Folder.with(root, async (folder) => {
      const above = path.posix.dirname(below);
      if (above === ".") return folder.openFile(path.posix.basename(below));
      const inside = folder.enter(above);
      try {
        return await inside.openFile(path.posix.basename(below));
      } finally {
        inside.close();
      }
    });
  } catch (error) {
    throw refusalOf(error as NodeJS.ErrnoException, below, root);
  }
}

function refusalOf(error: NodeJS.ErrnoException, below: string, root: string): Error {
  switch (error.code) {
    case "ENOENT":
      return new Problem(404, "no-file", `${below} is not in ${root} any more`);
    case "EINVAL":
    case "ENOTDIR":
    case "ELOOP":
      return new Problem(403, "not-inside", `${below} is no file in ${root}, or leads elsewhere`);
    case "EXDEV":
      return new Problem(
        403,
        "other-drive",
        `${below} lies on another drive that is mounted there: register that folder`,
      );
    case "EACCES":
    case "EPERM":
      return new Problem(403, "not-readable", `${below} may not be read`);
    default:
      return error;
  }
}
