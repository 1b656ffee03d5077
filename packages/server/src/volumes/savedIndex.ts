import { crc32 } from "node:zlib";
import { FRAME_FORMATS } from "@kinetocache/core";
import type { StoredFrame } from "./storedFrame";

/** The frames of one folder as they were when the index was kept. */
export interface SavedOwner {
  readonly owner: string;
  /** Changes with every file that is added to the folder, renamed or removed. */
  readonly changedMs: number;
  readonly frames: readonly StoredFrame[];
}

interface Head {
  readonly owner: string;
  readonly changedMs: number;
  readonly count: number;
}

const MAGIC = 0x4b43_4958;
// Key, CRC, cost, size, time of last use, format.
const BYTES_A_FRAME = 16 + 4 + 4 + 4 + 8 + 1;

/**
 * The index as a file: a number that says what it is, the length of a head in JSON, the head, then column by column
 * what there is to know of the frames, little-endian, and a CRC-32 of all before. As text it would take three times as
 * long to read.
 */
export function encodeIndex(owners: readonly SavedOwner[]): Buffer {
  const heads = owners.map(({ owner, changedMs, frames }): Head => ({ owner, changedMs, count: frames.length }));
  const head = Buffer.from(JSON.stringify(heads));
  const frames = owners.flatMap((one) => one.frames);
  const file = Buffer.alloc(8 + head.length + frames.length * BYTES_A_FRAME + 4);
  file.writeUInt32LE(MAGIC, 0);
  file.writeUInt32LE(head.length, 4);
  head.copy(file, 8);
  const at = columnsOf(8 + head.length, frames.length);
  for (const [index, { key, crc, costMs, size, lastUsedMs, format }] of frames.entries()) {
    file.write(key, at.key + 16 * index, "hex");
    file.writeUInt32LE(crc, at.crc + 4 * index);
    file.writeUInt32LE(costMs, at.costMs + 4 * index);
    file.writeUInt32LE(size, at.size + 4 * index);
    file.writeDoubleLE(lastUsedMs, at.lastUsedMs + 8 * index);
    file[at.format + index] = FRAME_FORMATS.indexOf(format);
  }
  file.writeUInt32LE(crc32(file.subarray(0, -4)), file.length - 4);
  return file;
}

/** Where each column starts. */
function columnsOf(start: number, count: number) {
  const crc = start + 16 * count;
  const costMs = crc + 4 * count;
  const size = costMs + 4 * count;
  const lastUsedMs = size + 4 * count;
  return { key: start, crc, costMs, size, lastUsedMs, format: lastUsedMs + 8 * count };
}

/** @returns nothing where the file is not whole */
export function decodeIndex(file: Buffer): SavedOwner[] {
  if (file.length < 12 || file.readUInt32LE(0) !== MAGIC) return [];
  if (crc32(file.subarray(0, -4)) !== file.readUInt32LE(file.length - 4)) return [];
  const start = 8 + file.readUInt32LE(4);
  const heads = JSON.parse(file.toString("utf8", 8, start)) as Head[];
  const count = heads.reduce((sum, head) => sum + head.count, 0);
  const at = columnsOf(start, count);
  const view = new DataView(file.buffer, file.byteOffset, file.length);
  // All keys at once: a string for each by itself takes far longer.
  const keys = file.toString("hex", at.key, at.crc);
  let index = 0;
  return heads.map(({ owner, changedMs, count: own }) => {
    const frames: StoredFrame[] = [];
    for (const end = index + own; index < end; index++)
      frames.push({
        key: keys.slice(32 * index, 32 * index + 32),
        crc: view.getUint32(at.crc + 4 * index, true),
        costMs: view.getUint32(at.costMs + 4 * index, true),
        format: FRAME_FORMATS[file[at.format + index]!]!,
        owner,
        size: view.getUint32(at.size + 4 * index, true),
        lastUsedMs: view.getFloat64(at.lastUsedMs + 8 * index, true),
      });
    return { owner, changedMs, frames };
  });
}
