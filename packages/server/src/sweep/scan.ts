import { lstatSync, readdirSync, type Stats } from "node:fs";
import path from "node:path";
import {
  emptyTree,
  FILE_COLUMNS,
  OWNER_MANIFEST,
  type Bytes,
  type FileTree,
  type NotRead,
  type OwnerManifest,
} from "@kinetocache/core";
import Joi from "joi";
import { Folder, folderHere, readHere } from "../files/folder";

export interface ScanOptions {
  /** What was found before; a folder that is as it was then is not gone through again. */
  readonly known?: FileTree;
  /** Whether content counts with its length: a simulated drive holds files that take nothing. */
  readonly isNominal: boolean;
  readonly nowMs: number;
  /** The mount that the root must lie in, as `Folder.mount`. */
  readonly mount?: string;
  /** Names of folders directly below the root that are left out. */
  readonly leaveOut?: ReadonlySet<string>;
}

export interface ScanProgress {
  readonly folders: number;
  readonly files: number;
  readonly bytes: Bytes;
}

// A file that is written in place does not change its folder. Where one was written lately it may be written again.
const SETTLED_MS = 24 * 3600 * 1000;
const BLOCK_BYTES = 512;
const LARGEST_MANIFEST = 64 * 1024;
const ELSEWHERE = "another drive is mounted there";

/**
 * Goes through all files below a root. Links are not followed, and other drives that are mounted inside are left out.
 * It gives way after each folder, and says how far it is.
 * @returns the files, at the end
 * @throws Error when the root itself cannot be read
 */
export function* scan(root: string, options: ScanOptions): Generator<ScanProgress, FileTree> {
  const { isNominal, known, leaveOut } = options;
  const tree = emptyTree();
  const { folders, files } = tree;
  const before = known ? new KnownFolders(known) : undefined;
  const { about: top, mount } = opened(root);
  if (options.mount !== undefined && options.mount !== mount) throw elsewhere(root);
  const startedIn = process.cwd();
  let bytes = 0;
  // Folders wait with their path, and with what was known of them.
  const waiting: Waiting[] = [{ file: root, name: "", parent: -1, stats: top, known: known ? 0 : undefined }];
  // Taken from the end, so that only the folders of one way down wait.
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    const folder = enter(next);
    const settled = before?.settled(next.known, next.stats.mtimeMs, options.nowMs);
    if (settled === undefined) read(next, folder);
    else again(next, folder, settled);
    yield { folders: folders.name.length, files: files.name.length, bytes };
  }
  return tree;

  function enter(next: Waiting): number {
    const { name, parent, stats } = next;
    folders.name.push(name);
    folders.parent.push(parent);
    folders.changedMs.push(stats.mtimeMs);
    folders.firstFile.push(files.name.length);
    folders.files.push(0);
    folders.notRead.push(stats.dev === top.dev ? undefined : ELSEWHERE);
    return folders.name.length - 1;
  }

  function read(next: Waiting, folder: number): void {
    const { file, stats, known: knownFolder, parent } = next;
    if (stats.dev !== top.dev) return;
    visit(next, folder, () => {
      for (const name of readdirSync(".")) {
        // What is no text comes as this sign, which leads to no file.
        if (name.includes("\uFFFD")) {
          note(folder, "its name is not text");
          continue;
        }
        if (parent === -1 && leaveOut?.has(name)) continue;
        const found = look(name, folder);
        if (found?.isDirectory())
          waiting.push({
            file: `${file}/${name}`,
            name,
            parent: folder,
            stats: found,
            known: before?.child(knownFolder, name),
          });
        else if (found?.isFile()) add(name, found, folder);
      }
    });
  }

  /** Works inside a folder that waits; what is there and cannot be entered is noted. */
  function visit({ file, stats, parent }: Waiting, folder: number, work: () => void): void {
    try {
      within(file, stats, work);
    } catch (error) {
      if (parent === -1) throw error;
      note(folder, (error as NodeJS.ErrnoException).code === "EXDEV" ? ELSEWHERE : "it may not be read");
    }
  }

  /** A folder as it was before; the folders in it may have changed. */
  function again(next: Waiting, folder: number, { first, count }: Settled): void {
    const { file, known: knownFolder } = next;
    const old = known!;
    const shift = files.name.length - first;
    if (old.links.size > 0)
      for (let at = first; at < first + count; at++) {
        const link = old.links.get(at);
        if (link) tree.links.set(at + shift, link);
      }
    for (let at = first; at < first + count; at++) bytes += old.files.allocated.at(at);
    files.name.append(old.files.name, first, first + count);
    for (const column of FILE_COLUMNS) files[column].append(old.files[column], first, first + count);
    folders.files[folder] = count;
    const owner = old.owners.get(knownFolder!);
    const children = before!.children(knownFolder!);
    if (!owner && children.length === 0) return;
    visit(next, folder, () => {
      // The project file that it names may have gone meanwhile.
      if (owner) tree.owners.set(folder, readOwner() ?? owner);
      for (const child of children) {
        const name = old.folders.name[child]!;
        const found = look(name, folder);
        if (found?.isDirectory())
          waiting.push({ file: `${file}/${name}`, name, parent: folder, stats: found, known: child });
      }
    });
  }

  /**
   * Works inside a folder, where names are looked up in a third less time than along whole paths.
   * @throws Error when the folder is not the one that was listed, as a link in its place leads elsewhere; with code EXDEV
   *   when it lies in another mount, as a part of the same drive does that is mounted inside
   */
  function within(folder: string, { dev, ino }: Stats, work: () => void): void {
    process.chdir(folder);
    try {
      const here = folderHere();
      if (here.about.dev !== dev || here.about.ino !== ino) throw new Error(`${folder} is not what it was`);
      if (here.mount !== mount) throw elsewhere(folder);
      work();
    } finally {
      process.chdir(startedIn);
    }
  }

  function add(name: string, stats: Stats, folder: number): void {
    if (name === OWNER_MANIFEST) {
      const owner = readOwner();
      if (owner) tree.owners.set(folder, owner);
    }
    // That one we read ourselves.
    const isRead = name !== OWNER_MANIFEST;
    const allocated = isNominal ? stats.size : stats.blocks * BLOCK_BYTES;
    if (stats.nlink > 1) tree.links.set(files.name.length, { inode: stats.ino, count: stats.nlink });
    files.name.push(name);
    files.allocated.push(allocated);
    files.size.push(stats.size);
    files.usedMs.push(isRead ? Math.max(stats.atimeMs, stats.mtimeMs) : stats.mtimeMs);
    files.modifiedMs.push(stats.mtimeMs);
    folders.files[folder]!++;
    bytes += allocated;
  }

  function look(name: string, folder: number): Stats | undefined {
    try {
      return lstatSync(name, { throwIfNoEntry: false });
    } catch {
      // Its folder can be listed, but not what is in it.
      note(folder, "it may not be read");
      return undefined;
    }
  }

  function note(folder: number, why: NotRead): void {
    folders.notRead[folder] ??= why;
  }
}

function elsewhere(folder: string): NodeJS.ErrnoException {
  return Object.assign(new Error(`${folder}: ${ELSEWHERE}`), { code: "EXDEV" });
}

/** What a folder is, reached without links. */
function opened(root: string): Folder {
  const folder = Folder.open(root);
  folder.close();
  return folder;
}

/** As `scan`, at one go: for folders that are small, or when nothing else waits. @param mount as `ScanOptions.mount` */
export function scanAtOnce(root: string, mount?: string): FileTree {
  const walk = scan(root, { isNominal: true, nowMs: Date.now(), ...(mount === undefined ? {} : { mount }) });
  let step = walk.next();
  while (!step.done) step = walk.next();
  return step.value;
}

// In between others get a turn.
const TURN_MS = 8;
// How far it is, is told after about this long.
const WHILE_MS = 100;

/** Goes on with a scan for a while, in which others get their turns. @returns how far it is, or at its end the files */
export async function scanOn(walk: ReturnType<typeof scan>): Promise<IteratorResult<ScanProgress, FileTree>> {
  const startMs = performance.now();
  let since = startMs;
  for (let step = walk.next(); ; step = walk.next()) {
    const now = performance.now();
    if (step.done || now - startMs >= WHILE_MS) return step;
    if (now - since < TURN_MS) continue;
    await new Promise((resolve) => setImmediate(resolve));
    since = performance.now();
  }
}

interface Waiting {
  readonly file: string;
  readonly name: string;
  readonly parent: number;
  readonly stats: Stats;
  /** The folder's number in what was known. */
  readonly known: number | undefined;
}

interface Settled {
  readonly first: number;
  readonly count: number;
}

/** The folders of an earlier scan, by the one that they lie in. */
class KnownFolders {
  private readonly inside: number[][];

  constructor(private readonly tree: FileTree) {
    this.inside = tree.folders.name.map(() => []);
    for (const [folder, parent] of tree.folders.parent.entries()) if (parent >= 0) this.inside[parent]!.push(folder);
  }

  children(folder: number): readonly number[] {
    return this.inside[folder]!;
  }

  child(folder: number | undefined, name: string): number | undefined {
    if (folder === undefined) return undefined;
    return this.inside[folder]!.find((child) => this.tree.folders.name[child] === name);
  }

  /** @returns the files of a folder where it is as it was, and nothing in it was written lately */
  settled(folder: number | undefined, changedMs: number, nowMs: number): Settled | undefined {
    if (folder === undefined || this.tree.folders.changedMs[folder] !== changedMs) return undefined;
    if (this.tree.folders.notRead[folder] !== undefined || nowMs - changedMs < SETTLED_MS) return undefined;
    const first = this.tree.folders.firstFile[folder]!;
    const count = this.tree.folders.files[folder]!;
    const { modifiedMs } = this.tree.files;
    for (let file = first; file < first + count; file++) if (nowMs - modifiedMs.at(file) < SETTLED_MS) return undefined;
    return { first, count };
  }
}

const manifestSchema = Joi.object<{ format: string; version: number; project: string; projectFile?: string }>({
  format: Joi.string().valid("kinetocache-owner").required(),
  version: Joi.number().valid(1).required(),
  project: Joi.string().min(1).max(200).required(),
  projectFile: Joi.string().min(1).max(4096),
});

/** What the manifest in the present folder says; undefined where it cannot be read, as then it says nothing. */
function readOwner(): OwnerManifest | undefined {
  try {
    const text = readHere(OWNER_MANIFEST, LARGEST_MANIFEST).toString();
    const { error, value } = manifestSchema.validate(JSON.parse(text));
    if (error) return undefined;
    const { project, projectFile } = value;
    if (projectFile === undefined) return { project };
    const there = lstatSync(path.resolve(projectFile), { throwIfNoEntry: false });
    if (there) return { project, projectFileFound: true };
    // Without its folder its drive may be off, and nothing can be said of it.
    const isAway = !lstatSync(path.dirname(path.resolve(projectFile)), { throwIfNoEntry: false });
    return { project, projectFileFound: isAway ? "away" : false };
  } catch {
    return undefined;
  }
}
