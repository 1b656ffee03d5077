import { createHash } from "node:crypto";
import {
  closeSync,
  constants,
  lstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import path from "node:path";

// Folders that nothing may touch, and whether anything did.

const OLD_S = Math.floor(Date.now() / 1000) - 60 * 24 * 3600;
// Only what was not read since it was written notes the next reading.
const UNREAD_S = OLD_S - 1000;

/** Writes a file that was not used for two months. */
export function writeOld(file: string, content: string): void {
  mkdirSync(path.dirname(file), { recursive: true });
  writeFileSync(file, content);
  utimesSync(file, OLD_S, OLD_S);
}

/** What is known of a file or folder. */
export interface Seen {
  readonly what: string;
  readonly readMs: number;
}

/** All that is in a tree: what it holds, when that changed, and when it was last read. */
export function look(folder: string, below = "", seen = new Map<string, Seen>()): Map<string, Seen> {
  const at = path.join(folder, below);
  const stats = lstatSync(at);
  const content = stats.isFile() ? createHash("sha256").update(contentOf(at)).digest("hex") : "";
  const { mode, ino, nlink, mtimeMs, atimeMs, uid } = stats;
  // Setting back when a folder was read changes that time of its own.
  const ctimeMs = stats.isFile() ? stats.ctimeMs : "";
  seen.set(below, { what: [mode, ino, nlink, uid, mtimeMs, ctimeMs, content].join(" "), readMs: atimeMs });
  if (stats.isDirectory()) for (const name of namesIn(at)) look(folder, path.join(below, name), seen);
  return seen;
}

/** What is in a file, which does not look read by that. */
export function contentOf(file: string): Buffer {
  const unused = openSync(file, constants.O_RDONLY | constants.O_NOATIME);
  try {
    return readFileSync(unused);
  } finally {
    closeSync(unused);
  }
}

/** Names in a folder, which does not look read by that. */
function namesIn(folder: string): string[] {
  const names = readdirSync(folder);
  utimesSync(folder, UNREAD_S, OLD_S);
  return names;
}

/** Sets back when all was read, so that the next reading shows. */
export function setUnread(folder: string): void {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const at = path.join(folder, entry.name);
    if (entry.isDirectory()) setUnread(at);
    else utimesSync(at, UNREAD_S, OLD_S);
  }
  utimesSync(folder, UNREAD_S, OLD_S);
}

/** What was changed, made, removed or read. */
export function differences(before: ReadonlyMap<string, Seen>, after: ReadonlyMap<string, Seen>): string[] {
  const names = new Set([...before.keys(), ...after.keys()]);
  return [...names].flatMap((name) => {
    const [was, is] = [before.get(name), after.get(name)];
    if (!was) return [`made ${name}`];
    if (!is) return [`removed ${name}`];
    if (was.what !== is.what) return [`changed ${name}`];
    return was.readMs === is.readMs ? [] : [`read ${name}`];
  });
}

/** Names that the application gives to its own files and folders, by what it keeps there. */
export const NAMES_OF_OURS = {
  data: ["wrapping", "scans", "volume", "sessions.json.new", "address", "locations.json.new", "sweep-ages.json.new"],
  location: [
    "owner",
    "owner.lock",
    "owner.taking",
    "frames",
    "sequences",
    "holding",
    "temporary",
    "index.bin",
    "index.bin.new",
    "settings.json.new",
    "growth.json.new",
    "kinetocache-location.json",
    "frames/night-roost",
    "sequences/a.gone",
    "sequences/b.begun",
    "holding/1.gone",
    "holding/batch-0000000000000000",
    "holding/1700000000000-00000000",
  ],
  root: [
    ".kinetocache-holding",
    ".kinetocache-holding/x.gone",
    ".kinetocache-holding/batch-0000000000000000",
    ".kinetocache-holding/1700000000000-00000000.gone",
    ".kinetocache-drive-test-999999-abcdef",
  ],
  gathered: ["media", "a.mov.partial", "gathered.json.new", "SHA256SUMS.new", "media/a.mov.partial"],
} as const;
