import { crc32 } from "node:zlib";
import { emptyTree, type FileTree, type NotRead, type OwnerManifest } from "@kinetocache/core";

const MAGIC = 0x4b43_5452;
const VERSION = 1;

interface Head {
  readonly version: number;
  readonly folders: number;
  readonly files: number;
  readonly notRead: readonly (readonly [number, NotRead])[];
  readonly links: readonly (readonly [number, { readonly inode: number; readonly count: number }])[];
  readonly owners: readonly (readonly [number, OwnerManifest])[];
}

const FOLDER_COLUMNS = ["parent", "changedMs", "firstFile", "files"] as const;
const FILE_COLUMNS = ["allocated", "size", "usedMs", "modifiedMs"] as const;

/**
 * A scan as a file: a number that says what it is, the length of a head in JSON, the head, columns of doubles,
 * little-endian, all names with a zero after each, and a CRC-32 of all before.
 */
export function encodeTree(tree: FileTree): Buffer {
  const { folders, files } = tree;
  const notRead = [...folders.notRead.entries()].flatMap(([folder, why]) => (why ? [[folder, why] as const] : []));
  const counts = { folders: folders.name.length, files: files.name.length };
  const marks = { notRead, links: [...tree.links], owners: [...tree.owners] };
  const head = Buffer.from(JSON.stringify({ version: VERSION, ...counts, ...marks } satisfies Head));
  const names = Buffer.from([...folders.name, ...files.name].map((name) => `${name}\0`).join(""));
  const columns = [...FOLDER_COLUMNS.map((column) => folders[column]), ...FILE_COLUMNS.map((column) => files[column])];
  const numbers = Buffer.concat(columns.map((column) => bytesOf(Float64Array.from(column))));
  const start = Buffer.alloc(8);
  start.writeUInt32LE(MAGIC, 0);
  start.writeUInt32LE(head.length, 4);
  const whole = Buffer.concat([start, head, numbers, names]);
  const sum = Buffer.alloc(4);
  sum.writeUInt32LE(crc32(whole), 0);
  return Buffer.concat([whole, sum]);
}

function bytesOf({ buffer, byteOffset, byteLength }: Float64Array): Buffer {
  return Buffer.from(buffer, byteOffset, byteLength);
}

/** @returns undefined where the file is not whole, or of another version */
export function decodeTree(file: Buffer): FileTree | undefined {
  if (file.length < 12 || file.readUInt32LE(0) !== MAGIC) return undefined;
  if (crc32(file.subarray(0, -4)) !== file.readUInt32LE(file.length - 4)) return undefined;
  let at = 8 + file.readUInt32LE(4);
  const head = JSON.parse(file.toString("utf8", 8, at)) as Head;
  if (head.version !== VERSION) return undefined;
  const column = (length: number): number[] => {
    // Doubles have to lie on a multiple of eight.
    const numbers = new Float64Array(new Uint8Array(file.subarray(at, at + 8 * length)).buffer);
    at += 8 * length;
    return Array.from(numbers);
  };
  const tree = emptyTree();
  for (const name of FOLDER_COLUMNS) for (const value of column(head.folders)) tree.folders[name].push(value);
  for (const name of FILE_COLUMNS) for (const value of column(head.files)) tree.files[name].push(value);
  const names = file.toString("utf8", at, file.length - 4).split("\0");
  for (let folder = 0; folder < head.folders; folder++) {
    tree.folders.name.push(names[folder]!);
    tree.folders.notRead.push(undefined);
  }
  for (let one = 0; one < head.files; one++) tree.files.name.push(names[head.folders + one]!);
  for (const [folder, why] of head.notRead) tree.folders.notRead[folder] = why;
  for (const [one, link] of head.links) tree.links.set(one, link);
  for (const [folder, owner] of head.owners) tree.owners.set(folder, owner);
  return tree;
}
