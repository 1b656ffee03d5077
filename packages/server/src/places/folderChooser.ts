import { realpath, stat } from "node:fs/promises";
import { homedir } from "node:os";
import path from "node:path";
import type { Bytes, Drive, FolderListing, FolderStart, ListedFolder, PlaceUse } from "@kinetocache/core";
import { Folder } from "../files/folder";
import { pathFault } from "../http/paths";
import { Problem } from "../http/problem";
import type { PlaceRegistry } from "./placeRegistry";
import { systemFault } from "./systemFolders";

// A person does not look through more; the path of what is missing can be typed.
const MOST_LISTED = 1000;

const byName = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

interface ChooserParts {
  readonly registry: PlaceRegistry;
  readonly drives: () => Promise<readonly Drive[]>;
  /** What folders take, as far as that is known, by their path. */
  readonly sizes: () => ReadonlyMap<string, Bytes>;
}

/** Lists folders by their names, for whoever looks for one; what is in their files is not read. */
export class FolderChooser {
  constructor(private readonly parts: ChooserParts) {}

  /** The user's own folder, the drives, and the folders that are in use. */
  async starts(): Promise<FolderStart[]> {
    const { registry, drives } = this.parts;
    const home = await realpath(homedir()).catch(() => undefined);
    const recent = [...new Set(registry.taken().map(({ folder }) => folder))].sort(byName.compare);
    return [
      ...(home === undefined ? [] : [{ path: home, kind: "home" as const }]),
      ...(await drives()).map(({ mount, device, simulated, freeBytes }) => ({
        path: mount,
        kind: "drive" as const,
        freeBytes,
        ...(simulated ? { name: device } : {}),
      })),
      ...recent.map((folder) => ({ path: folder, kind: "recent" as const })),
    ];
  }

  /**
   * The folders in a folder.
   * @param use what one is looked for; without it none is refused
   * @throws Problem 400, 403, 404
   */
  async list(folder: string, use: PlaceUse | undefined): Promise<FolderListing> {
    const real = await realFolder(folder);
    const names = await foldersIn(real);
    const sizes = this.parts.sizes();
    const folders = names.slice(0, MOST_LISTED).map(async (name): Promise<ListedFolder> => {
      const at = path.join(real, name);
      return { name, bytes: sizes.get(at), refusal: await this.refusal(at, use) };
    });
    return {
      path: real,
      refusal: await this.refusal(real, use),
      folders: await Promise.all(folders),
      more: Math.max(0, names.length - MOST_LISTED),
    };
  }

  /** Makes a folder in a folder. @returns its path @throws Problem 400, 403, 404, 409 */
  async make(parent: string, name: string): Promise<string> {
    const real = await realFolder(parent);
    const made = path.join(real, name);
    const fault = (await systemFault(made)) ?? pathFault(made);
    if (fault !== undefined) throw new Problem(400, "invalid", `name: ${made} ${fault}`);
    try {
      await Folder.with(real, (folder) => folder.makeFolder(name));
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === "EEXIST") throw new Problem(409, "exists", `There is something called "${name}" in ${real} already`);
      if (code === "EACCES" || code === "EPERM")
        throw new Problem(403, "not-writable", `No folder may be made in ${real}`);
      throw error;
    }
    return made;
  }

  /** Why a folder cannot be chosen; links on the way to it are followed, as they are when it is used. */
  private async refusal(folder: string, use: PlaceUse | undefined): Promise<string | undefined> {
    if (use === undefined) return undefined;
    try {
      await this.parts.registry.check(await realpath(folder), use, "folder");
      return undefined;
    } catch (error) {
      if (error instanceof Problem) return error.detail.replace(/^folder: /, "");
      return "cannot be read";
    }
  }
}

/** @throws Problem */
async function realFolder(folder: string): Promise<string> {
  if (!path.isAbsolute(folder)) throw new Problem(400, "invalid", `path: "${folder}" is no full path`);
  return realpath(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code === "EACCES") throw new Problem(403, "not-readable", `${folder} may not be read`);
    throw new Problem(404, "no-folder", `There is no folder ${folder}`);
  });
}

/** Names of the folders in a folder, and of the links to folders, in order. @throws Problem */
async function foldersIn(real: string): Promise<string[]> {
  const entries = await Folder.with(real, (folder) => folder.listedEntries()).catch((error: NodeJS.ErrnoException) => {
    if (error.code === "ENOTDIR") throw new Problem(400, "invalid", `${real} is not a folder`);
    throw new Problem(403, "not-readable", `${real} may not be read`);
  });
  // Whether it leads to a folder, and nothing else of what it leads to.
  const leads = (name: string) =>
    stat(path.join(real, name)).then(
      (found) => found.isDirectory(),
      () => false,
    );
  const links = entries.filter((entry) => entry.isSymbolicLink()).map(({ name }) => name);
  const led = await Promise.all(links.map(leads));
  const names = entries.filter((entry) => entry.isDirectory()).map(({ name }) => name);
  return [...names, ...links.filter((_, at) => led[at])].sort(byName.compare);
}
