import { crc32 } from "node:zlib";
import { emptyTree, FILE_COLUMNS, Numbers, type FileTree, type NotRead, type OwnerManifest } from "@kinetocache/core";
import type { Folder } from "../files/folder";

const MAGIC = 0x4b43_5452;
// The first one took reading the files that name an owner for use.
const VERSION = 2;

interface Head {
  readonly version: number;
  readonly folders: number;
  readonly files: number;
  readonly notRead: readonly (readonly [number, NotRead])[];
  readonly links: readonly (readonly [number, { readonly inode: number; readonly count: number }])[];
  readonly owners: readonly (readonly [number, OwnerManifest])[];
}

const FOLDER_COLUMNS = ["parent", "changedMs", "firstFile", "files"] as const;

// Names are written this many at a time.
const NAMES_A_WRITE = 10_000;

/**
 * Writes a scan as a file: a number that says what it is, the length of a head in JSON, the head, columns of doubles,
 * little-endian, all names with a zero after each, and a CRC-32 of all before. Piece by piece: as a whole it would take
 * as much memory again as what was found.
 */
export function writeTree(folder: Folder, name: string, tree: FileTree): void {
  folder.replace(name, piecesOf(tree));
}

function* piecesOf(tree: FileTree): Generator<Buffer> {
  const { folders, files } = tree;
  const notRead = [...folders.notRead.entries()].flatMap(([folder, why]) => (why ? [[folder, why] as const] : []));
  const counts = { folders: folders.name.length, files: files.name.length };
  const marks = { notRead, links: [...tree.links], owners: [...tree.owners] };
  const head = Buffer.from(JSON.stringify({ version: VERSION, ...counts, ...marks } satisfies Head));
  const start = Buffer.alloc(8);
  start.writeUInt32LE(MAGIC, 0);
  start.writeUInt32LE(head.length, 4);
  let sum = 0;
  const summed = (piece: Buffer) => {
    sum = crc32(piece, sum);
    return piece;
  };
  yield summed(start);
  yield summed(head);
  for (const column of FOLDER_COLUMNS) yield summed(bytesOf(Float64Array.from(folders[column])));
  for (const column of FILE_COLUMNS) yield summed(bytesOf(files[column].view()));
  for (const piece of nameBytes(folders.name.length, (index) => folders.name[index]!)) yield summed(piece);
  for (const piece of nameBytes(files.name.length, (index) => files.name.at(index))) yield summed(piece);
  const end = Buffer.alloc(4);
  end.writeUInt32LE(sum, 0);
  yield end;
}

function* nameBytes(count: number, nameAt: (index: number) => string): Generator<Buffer> {
  for (let from = 0; from < count; from += NAMES_A_WRITE) {
    let text = "";
    for (let index = from; index < Math.min(count, from + NAMES_A_WRITE); index++) text += `${nameAt(index)}\0`;
    yield Buffer.from(text);
  }
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
  const column = (length: number): Float64Array => {
    // Doubles have to lie on a multiple of eight.
    const numbers = new Float64Array(new Uint8Array(file.subarray(at, at + 8 * length)).buffer);
    at += 8 * length;
    return numbers;
  };
  const tree = emptyTree();
  for (const name of FOLDER_COLUMNS) for (const value of column(head.folders)) tree.folders[name].push(value);
  const columns = Object.fromEntries(FILE_COLUMNS.map((name) => [name, Numbers.of(column(head.files))]));
  Object.assign(tree.files, columns);
  const end = file.length - 4;
  for (let number = 0; number < head.folders + head.files; number++) {
    const zero = file.indexOf(0, at);
    if (zero < 0 || zero >= end) return undefined;
    const name = file.toString("utf8", at, zero);
    at = zero + 1;
    if (number < head.folders) {
      tree.folders.name.push(name);
      tree.folders.notRead.push(undefined);
    } else tree.files.name.push(name);
  }
  for (const [folder, why] of head.notRead) tree.folders.notRead[folder] = why;
  for (const [one, link] of head.links) tree.links.set(one, link);
  for (const [folder, owner] of head.owners) tree.owners.set(folder, owner);
  return tree;
}
