import {
  closeSync,
  constants,
  fchmodSync,
  fstatSync,
  fsyncSync,
  linkSync,
  lstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  readSync,
  renameSync,
  rmdirSync,
  statSync,
  unlinkSync,
  writeSync,
  type Dirent,
  type Stats,
} from "node:fs";
import { lstat, lutimes, open, readdir, rename, unlink, type FileHandle } from "node:fs/promises";
import path from "node:path";
import type { Bytes } from "@kinetocache/core";

const { O_CREAT, O_DIRECTORY = 0, O_EXCL, O_NOFOLLOW = 0, O_NONBLOCK = 0, O_RDONLY, O_RDWR } = constants;
/** Of folders and files that we make: nobody else is to read or change them. */
export const OWN_FOLDER = 0o700;
const OWN_FILE = 0o600;
// A tree that is deeper is made flat while it is removed: each level holds one handle.
const DEEPEST = 64;
const WRITE_BYTES = 2 ** 20;

const READ = O_RDONLY | O_NOFOLLOW | O_NONBLOCK;
// What we read ourselves is not used by that. Not of all systems, and only for what is the user's own.
const NO_ACCESS_TIME = (constants as { readonly O_NOATIME?: number }).O_NOATIME ?? 0;

/** Opens a file without noting that it was read, where that is allowed. */
function unnoticed(openIt: (flags: number) => number): number {
  try {
    return openIt(NO_ACCESS_TIME);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "EPERM") throw error;
    return openIt(0);
  }
}

/** @throws Error as `Folder.read` */
function readAt(reached: string, most: Bytes): Buffer {
  const file = unnoticed((more) => openSync(reached, READ | more));
  try {
    const stats = fstatSync(file);
    if (!stats.isFile()) throw fault("EINVAL", `${reached} is no file`);
    if (stats.size > most) throw fault("EFBIG", `${reached} is larger than ${most} bytes`);
    return readFileSync(file);
  } finally {
    closeSync(file);
  }
}

/** The folder that the process works in, and which mount it lies in, as `Folder.mount`. */
export function folderHere(): { readonly about: Stats; readonly mount: string } {
  const fd = openSync(".", O_RDONLY | O_DIRECTORY);
  try {
    const about = fstatSync(fd);
    return { about, mount: mountOf(fd, about) };
  } finally {
    closeSync(fd);
  }
}

/** The content of a file in the folder that the process works in. @throws Error as `Folder.read` */
export function readHere(name: string, most: Bytes): Buffer {
  checkName(name);
  return readAt(name, most);
}

/** What ends with it is being removed, and goes for good when it is met again. */
export const GONE = ".gone";

/** The removal of a tree. */
interface Removal {
  /** Where the tree lies. */
  readonly top: Folder;
  readonly name: string;
  /** How many parts were too deep, and were moved up. */
  moved: number;
  readonly left: string[];
}

const NO_LINKS: ReadonlySet<string> = new Set(["EPERM", "ENOTSUP", "EMLINK", "ENOSYS", "EOPNOTSUPP"]);

/** A name in a folder, and nothing that could lead out of it. */
function checkName(name: string): void {
  if (name === "" || name === "." || name === ".." || name.includes("/") || name.includes("\0"))
    throw fault("EINVAL", `"${name}" is no name of a file`);
}

function fault(code: string, message: string): NodeJS.ErrnoException {
  return Object.assign(new Error(message), { code });
}

/**
 * Names for a folder that is open, so that the name goes on meaning this folder, whatever is put at its path: Linux
 * lists open files, macOS names folders by volume and number. Each is believed only where it leads to the same folder.
 */
const HANDLES: readonly ((fd: number, stats: Stats) => string)[] = [
  (fd) => `/proc/self/fd/${fd}`,
  (_fd, { dev, ino }) => `/.vol/${dev}/${ino}`,
];

type Handle = (typeof HANDLES)[number];

let known: { readonly handle: Handle | undefined } | undefined;

/** How folders are held on this system; undefined where it gives no hold on one. */
function handleOf(fd: number, stats: Stats): Handle | undefined {
  known ??= { handle: HANDLES.find((handle) => isSame(stats, statSync(handle(fd, stats), { throwIfNoEntry: false }))) };
  return known.handle;
}

function isSame(a: Pick<Stats, "dev" | "ino">, b: Pick<Stats, "dev" | "ino"> | undefined): boolean {
  return a.dev === b?.dev && a.ino === b.ino;
}

/** Whether this system gives a hold on folders, so that what is done in one is done there and nowhere else. */
export function holdsFolders(): boolean {
  if (!known) Folder.open(path.parse(process.cwd()).root).close();
  return known?.handle !== undefined;
}

/** In which the process works at the moment, so that a name in it needs no way to it. */
let nearest: Folder | undefined;
/** Where the process works otherwise, where it may work inside folders. */
let base: string | undefined;
let isAtOneGo = false;

/**
 * Lets this process work inside folders while it goes through what is in them: names in them are found in less time.
 * Only for a process in which nothing else depends on the folder that it works in.
 */
export function workInside(): void {
  // The folder that it was started in may go.
  base = path.parse(process.execPath).root;
  process.chdir(base);
}

/** Does something with nothing awaited in it; until its end the process may work inside a folder (`Folder.near`). */
export function atOneGo<T>(work: () => T): T {
  isAtOneGo = base !== undefined;
  try {
    return work();
  } finally {
    isAtOneGo = false;
    if (nearest) process.chdir(base!);
    nearest = undefined;
  }
}

function workIn(folder: Folder, reached: string): void {
  process.chdir(reached);
  nearest = folder;
}

const mountText = Buffer.alloc(512);

/** Which mount a folder that is open lies in. */
function mountOf(fd: number, { dev }: Stats): string {
  let info: number;
  try {
    info = openSync(`/proc/self/fdinfo/${fd}`, O_RDONLY);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
    return String(dev);
  }
  try {
    const text = mountText.toString("latin1", 0, readSync(info, mountText));
    return /^mnt_id:\s*(\d+)/m.exec(text)?.[1] ?? String(dev);
  } finally {
    closeSync(info);
  }
}

/**
 * A folder that is held open. All that is done in it is done by name in this very folder: no link is followed, neither
 * on the way to it nor in it, and whatever is put at its path meanwhile is not touched. Where the system gives no such
 * hold (`holdsFolders`), each use makes sure first that the path still leads to the same folder.
 *
 * Errors have the codes of the file system; ENOTDIR also where a link or a file is in the way, EXDEV where another
 * drive is mounted.
 */
export class Folder {
  /** Uses that have not come to their end: the handle's number must not stand for another folder then. */
  private uses = 0;
  private isClosed = false;
  private readonly prefix: string | undefined;

  private constructor(
    readonly path: string,
    private readonly fd: number | undefined,
    private readonly opened: Stats,
    /** Which mount it lies in: two mounts of one drive share its number, but not this. */
    readonly mount: string,
  ) {
    const handle = fd === undefined ? undefined : handleOf(fd, opened);
    this.prefix = fd === undefined ? undefined : handle?.(fd, opened);
  }

  /** Opens a folder by its full path, in which no part may be a link. */
  static open(where: string): Folder {
    const { root } = path.parse(where);
    const parts = where.slice(root.length).split(path.sep).filter(Boolean);
    let folder = Folder.at(root, root);
    for (const part of parts) folder = folder.replacedBy(part);
    return folder;
  }

  /** Opens a file for reading by its full path, in which no part may be a link. */
  static file(where: string): Promise<FileHandle> {
    return Folder.with(path.dirname(where), (folder) => folder.openFile(path.basename(where)));
  }

  /** Does something in a folder, which is then closed. */
  static async with<T>(where: string, work: (folder: Folder) => Promise<T> | T): Promise<T> {
    const folder = Folder.open(where);
    try {
      return await work(folder);
    } finally {
      folder.close();
    }
  }

  private static at(where: string, reached: string): Folder {
    let fd: number | undefined;
    try {
      fd = openSync(reached, O_RDONLY | O_DIRECTORY | O_NOFOLLOW);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === "ENOTDIR" || code === "ELOOP" || code === "EMLINK") throw notFolder(where);
      // Some systems open no folders.
      if (code !== "EISDIR" && code !== "EPERM") throw error;
    }
    try {
      const stats = fd === undefined ? lstatSync(reached) : fstatSync(fd);
      if (!stats.isDirectory()) throw notFolder(where);
      return new Folder(where, fd, stats, fd === undefined ? String(stats.dev) : mountOf(fd, stats));
    } catch (error) {
      if (fd !== undefined) closeSync(fd);
      throw error;
    }
  }

  /** Opens a folder in it, on whichever drive, and lets this one go. */
  private replacedBy(name: string): Folder {
    try {
      return Folder.at(path.join(this.path, name), this.at(name));
    } finally {
      this.close();
    }
  }

  /**
   * Opens a folder in it.
   * @param below a name, or several with `/` between them
   */
  enter(below: string): Folder {
    const names = below.split("/");
    names.forEach(checkName);
    let folder = Folder.at(path.join(this.path, names[0]!), this.at(names[0]!));
    for (const name of names.slice(1)) folder = folder.replacedBy(name);
    if (folder.mount === this.mount) return folder;
    folder.close();
    throw fault("EXDEV", `another drive is mounted at ${folder.path}, or on the way to it`);
  }

  /** Opens a folder in it, which is made where there is none. */
  make(name: string, mode = OWN_FOLDER): Folder {
    checkName(name);
    try {
      mkdirSync(this.at(name), { mode });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
    }
    return this.enter(name);
  }

  /** The last of some folders that lie in each other below it; what is missing is made. */
  makeWay(names: readonly string[], mode = OWN_FOLDER): Folder {
    const [first, ...rest] = names;
    let at = this.make(first!, mode);
    for (const name of rest) {
      try {
        const next = at.make(name, mode);
        at.close();
        at = next;
      } catch (error) {
        at.close();
        throw error;
      }
    }
    return at;
  }

  /** Lets it go once all that is under way in it has ended. */
  close(): void {
    if (this.isClosed) return;
    this.isClosed = true;
    this.closeIfUnused();
  }

  private closeIfUnused(): void {
    if (this.isClosed && this.uses === 0 && this.fd !== undefined) closeSync(this.fd);
  }

  /** Whether it is still where it was opened, and not moved elsewhere or removed. */
  get isHere(): boolean {
    try {
      if (this.prefix?.startsWith("/proc/")) return readlinkSync(this.prefix) === this.path;
      return isSame(this.opened, lstatSync(this.path, { throwIfNoEntry: false }));
    } catch {
      return false;
    }
  }

  /** Keeps others of the machine out of it. @throws Error where it is somebody else's */
  keepPrivate(): void {
    if (this.fd !== undefined) fchmodSync(this.fd, OWN_FOLDER);
  }

  /** What it was when it was opened. */
  get about(): Stats {
    return this.opened;
  }

  /** Most of what is done next is done in it: worth it in a process that may (`workInside`), `atOneGo`. */
  near(): this {
    if (!isAtOneGo || nearest === this || this.prefix === undefined || this.isClosed) return this;
    workIn(this, this.prefix);
    return this;
  }

  /** As `reach`, for what is done at once. */
  private at(name: string): string {
    return nearest === this && !this.isClosed ? name : this.reach(name);
  }

  /** A path to a name in it that system calls may take, now and without following what it leads to. */
  private reach(name: string): string {
    if (this.isClosed) throw fault("EBADF", `${this.path} was let go`);
    if (this.prefix !== undefined) return `${this.prefix}/${name}`;
    if (!this.isHere) throw fault("ENOTDIR", `${this.path} is not what it was`);
    return path.join(this.path, name);
  }

  private async use<T>(name: string, act: (reached: string) => Promise<T>): Promise<T> {
    checkName(name);
    const reached = this.reach(name);
    this.uses++;
    try {
      return await act(reached);
    } finally {
      this.uses--;
      this.closeIfUnused();
    }
  }

  // At once

  names(): string[] {
    return readdirSync(this.at("."));
  }

  entries(): Dirent[] {
    return readdirSync(this.at("."), { withFileTypes: true });
  }

  /** What a name is, links not followed; undefined where there is none. */
  stat(name: string): Stats | undefined {
    checkName(name);
    return lstatSync(this.at(name), { throwIfNoEntry: false });
  }

  /** When an entry of it was last added, renamed or removed. */
  get changedMs(): number {
    return statSync(this.at(".")).mtimeMs;
  }

  /**
   * The content of a file.
   * @throws Error with code EFBIG when it is larger than `most`, EINVAL when it is no file
   */
  read(name: string, most: Bytes): Buffer {
    checkName(name);
    return readAt(this.at(name), most);
  }

  /** Makes a file that is not there yet. @throws Error with code EEXIST */
  create(name: string): NewFile {
    checkName(name);
    return new NewFile(openSync(this.at(name), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW, OWN_FILE));
  }

  /**
   * Replaces a file as a whole: it is written under another name and reaches the drive before it gets its own.
   * @param pieces what is in it
   */
  replace(name: string, pieces: Iterable<string | Uint8Array>): void {
    const temporary = `${name}.new`;
    // Whatever has the name is in the way, a link too: that is taken away, and what it leads to stays.
    this.remove(temporary);
    const file = this.create(temporary);
    try {
      for (const piece of pieces) file.write(piece);
      file.sync();
      file.close();
      this.move(temporary, this, name);
    } catch (error) {
      file.close();
      this.remove(temporary);
      throw error;
    }
  }

  /** Renames; a file in the new place gives way. */
  move(name: string, to: Folder, toName: string): void {
    checkName(name);
    checkName(toName);
    renameSync(this.at(name), to.at(toName));
  }

  /**
   * Moves a file, and never in the place of another: a rename would take that. It has both names for an instant, which
   * also takes a third less time than a rename to another folder.
   * @throws Error with code EEXIST when something is there
   */
  moveFile(name: string, to: Folder, toName: string): void {
    checkName(name);
    checkName(toName);
    try {
      linkSync(this.at(name), to.at(toName));
    } catch (error) {
      if (!NO_LINKS.has((error as NodeJS.ErrnoException).code ?? "")) throw error;
      // A drive without second names.
      if (to.stat(toName)) throw fault("EEXIST", `${to.path}/${toName} is there`);
      this.move(name, to, toName);
      return;
    }
    try {
      this.remove(name);
    } catch (error) {
      // Where it may not be taken away it stays, under the one name that it had.
      to.remove(toName);
      throw error;
    }
  }

  makeFolder(name: string, mode = OWN_FOLDER): void {
    checkName(name);
    mkdirSync(this.at(name), { mode });
  }

  /** Removes a file or a link; nothing where there is none. */
  remove(name: string): void {
    checkName(name);
    try {
      unlinkSync(this.at(name));
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
    }
  }

  /** Removes an empty folder. */
  removeFolder(name: string): void {
    checkName(name);
    rmdirSync(this.at(name));
  }

  /**
   * Removes whatever has a name, a folder with all in it. Another drive that is mounted in it stays, and so do the
   * folders that lead there.
   * @returns paths of what had to stay, each with the reason
   */
  removeTree(name: string): string[] {
    checkName(name);
    const removal: Removal = { top: this, name, moved: 0, left: [] };
    this.removeIn(name, 0, removal);
    return removal.left;
  }

  private removeIn(name: string, depth: number, removal: Removal): void {
    try {
      if (!this.stat(name)?.isDirectory()) this.remove(name);
      else if (depth < DEEPEST) this.removeFull(name, depth, removal);
      else {
        const flat = `${removal.name}.${removal.moved++}${GONE}`;
        this.move(name, removal.top, flat);
        removal.top.removeIn(flat, 0, removal);
      }
    } catch (error) {
      removal.left.push(`${this.path}/${name}: ${(error as Error).message}`);
    }
  }

  private removeFull(name: string, depth: number, removal: Removal): void {
    const inside = this.enter(name);
    try {
      for (const one of inside.names()) inside.removeIn(one, depth + 1, removal);
    } finally {
      inside.close();
    }
    this.removeFolder(name);
  }

  // Where waiting for a drive must not hold up the rest

  stats(name: string): Promise<Stats> {
    return this.use(name, (reached) => lstat(reached));
  }

  listed(): Promise<string[]> {
    return this.useWhole((reached) => readdir(reached));
  }

  /** The same, with what each is; a link is a link, whatever it leads to. */
  listedEntries(): Promise<Dirent[]> {
    return this.useWhole((reached) => readdir(reached, { withFileTypes: true }));
  }

  /** As `use`, which takes a name in it. */
  private useWhole<T>(act: (reached: string) => Promise<T>): Promise<T> {
    const reached = this.reach(".");
    this.uses++;
    return act(reached).finally(() => {
      this.uses--;
      this.closeIfUnused();
    });
  }

  /**
   * Opens a file for reading.
   * @param flags of the system, added to those of reading @throws Error with code ELOOP for a link
   */
  openFile(name: string, flags = 0): Promise<FileHandle> {
    return this.use(name, (reached) =>
      open(reached, READ | NO_ACCESS_TIME | flags).catch((error: NodeJS.ErrnoException) => {
        if (error.code !== "EPERM") throw error;
        return open(reached, READ | flags);
      }),
    );
  }

  /** Opens a file that is not there yet for writing. @throws Error with code EEXIST */
  createFile(name: string): Promise<FileHandle> {
    return this.use(name, (reached) => open(reached, O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW, OWN_FILE));
  }

  /** Opens a file for adding to its end; it is made where there is none. */
  appendFile(name: string): Promise<FileHandle> {
    const flags = constants.O_WRONLY | constants.O_APPEND | O_CREAT | O_NOFOLLOW | O_NONBLOCK;
    return this.use(name, (reached) => open(reached, flags, OWN_FILE));
  }

  moved(name: string, to: Folder, toName: string): Promise<void> {
    return this.use(name, (from) => to.use(toName, (reached) => rename(from, reached)));
  }

  /** As `remove`. */
  removed(name: string): Promise<void> {
    return this.use(name, (reached) =>
      unlink(reached).catch((error: NodeJS.ErrnoException) => {
        if (error.code !== "ENOENT") throw error;
      }),
    );
  }

  /** Notes when a file was used. */
  touched(name: string, atMs: number): Promise<void> {
    return this.use(name, (reached) => lutimes(reached, atMs / 1000, atMs / 1000));
  }
}

/** A file that is being written. */
export class NewFile {
  private isClosed = false;

  constructor(private readonly fd: number) {}

  /** @throws Error with code ENOSPC */
  write(content: string | Uint8Array): void {
    const bytes = typeof content === "string" ? Buffer.from(content) : content;
    // A nearly full drive takes a part of what is written.
    for (let at = 0; at < bytes.length;) at += writeSync(this.fd, bytes, at, Math.min(WRITE_BYTES, bytes.length - at));
  }

  sync(): void {
    fsyncSync(this.fd);
  }

  close(): void {
    if (!this.isClosed) closeSync(this.fd);
    this.isClosed = true;
  }
}

function notFolder(where: string): NodeJS.ErrnoException {
  return fault("ENOTDIR", `${where} is a link or no folder; nothing is read or written through it`);
}
