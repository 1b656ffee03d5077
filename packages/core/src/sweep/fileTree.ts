import type { Bytes } from "../machine";
import { Names, Numbers } from "./columns";

/** Why something on a drive was not looked into. */
export type NotRead = "another drive is mounted there" | "it may not be read" | "its name is not text";

/**
 * Files below a root, in columns: a drive has hundreds of thousands of them. Folders come after the one that they lie
 * in; the root itself is folder 0 and has no name. The files of a folder stand together.
 */
export interface FileTree {
  readonly folders: {
    readonly name: string[];
    readonly parent: number[];
    /** When an entry was last added, renamed or removed, in milliseconds since the epoch. */
    readonly changedMs: number[];
    /** Its files are `[firstFile, firstFile + files)`. */
    readonly firstFile: number[];
    readonly files: number[];
    /** Where something in it was left out. */
    readonly notRead: (NotRead | undefined)[];
  };
  readonly files: {
    readonly name: Names;
    /** Taken on the drive. */
    readonly allocated: Numbers;
    /** Length of the content. */
    readonly size: Numbers;
    /** The later of last written and last read, in milliseconds since the epoch. */
    readonly usedMs: Numbers;
    readonly modifiedMs: Numbers;
  };
  /** By file: what other names the same content has, for those that have any. */
  readonly links: Map<number, { readonly inode: number; readonly count: number }>;
  /** By folder: the owner that a manifest in it names. */
  readonly owners: Map<number, OwnerManifest>;
}

/** A small file beside a cache that says whose it is. */
export interface OwnerManifest {
  readonly project: string;
  /** Whether the project file that it names is there; undefined when it names none. */
  readonly projectFileFound?: boolean | "away";
}

/** What is known of each file in numbers. */
export const FILE_COLUMNS = ["allocated", "size", "usedMs", "modifiedMs"] as const;

export const OWNER_MANIFEST = "cache-owner.json";

export function emptyTree(): FileTree {
  return {
    folders: { name: [], parent: [], changedMs: [], firstFile: [], files: [], notRead: [] },
    files: {
      name: new Names(),
      allocated: new Numbers(),
      size: new Numbers(),
      usedMs: new Numbers(),
      modifiedMs: new Numbers(),
    },
    links: new Map(),
    owners: new Map(),
  };
}

/** Paths of all folders below the root, with "/" between the parts; "" for the root. */
export function folderPaths({ folders: { name, parent } }: FileTree): string[] {
  const paths: string[] = [""];
  for (let folder = 1; folder < name.length; folder++) {
    const above = paths[parent[folder]!]!;
    paths.push(above === "" ? name[folder]! : `${above}/${name[folder]}`);
  }
  return paths;
}

/** A file of a tree. */
export interface TreeFile {
  /** Below the root. */
  readonly path: string;
  readonly name: string;
  readonly size: Bytes;
}

/** All files of a tree, one after the other. */
export function* filesOf(tree: FileTree): Generator<TreeFile> {
  const { folders, files } = tree;
  for (const [folder, path] of folderPaths(tree).entries()) {
    const first = folders.firstFile[folder]!;
    for (let file = first; file < first + folders.files[folder]!; file++) {
      const name = files.name.at(file);
      yield { path: path === "" ? name : `${path}/${name}`, name, size: files.size.at(file) };
    }
  }
}

export function totalBytes({ files: { allocated } }: FileTree): Bytes {
  return allocated.sum();
}
