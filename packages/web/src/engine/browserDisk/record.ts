import type { Bytes, ContentKey, Milliseconds } from "@kinetocache/core";

/** What the header of a stored frame says. */
export interface FrameRecord {
  readonly key: ContentKey;
  readonly owner: string;
  readonly costMs: Milliseconds;
  /** Of the frame's file. */
  readonly size: Bytes;
  /** See `ContentHash`. */
  readonly hash: number;
  lastUsedMs: number;
  readonly removed: boolean;
}

export const RECORD_HEADER = 128;
const MAGIC = 0x4b434631;
const LONGEST_OWNER = 64;
// Fields that change later are left out of the check.
const CHECKED = { from: 8, to: 104 };
/** Where the time of last use stands in a header, and whether the frame was removed. */
export const USED_AT = 104;
export const REMOVED_AT = 112;

/** Headers start at multiples of this. */
export const RECORD_STEP = 8;

/** Bytes that a frame takes with its header. */
export function recordBytes(size: Bytes): Bytes {
  return RECORD_HEADER + Math.ceil(size / RECORD_STEP) * RECORD_STEP;
}

/** @throws RangeError when the owner's name is too long */
export function writeRecordHeader(record: FrameRecord): Uint8Array<ArrayBuffer> {
  const { key, owner, costMs, size, hash, lastUsedMs, removed } = record;
  const name = new TextEncoder().encode(owner);
  if (name.byteLength > LONGEST_OWNER) throw new RangeError(`"${owner}" is longer than ${LONGEST_OWNER} bytes`);
  const header = new Uint8Array(RECORD_HEADER);
  const view = new DataView(header.buffer);
  view.setUint32(0, MAGIC);
  for (let i = 0; i < 16; i++) header[8 + i] = Number.parseInt(key.slice(2 * i, 2 * i + 2), 16);
  view.setUint32(24, size);
  view.setUint32(28, hash);
  view.setFloat32(32, costMs);
  header[36] = name.byteLength;
  header.set(name, 37);
  view.setFloat64(USED_AT, lastUsedMs);
  header[REMOVED_AT] = Number(removed);
  view.setUint32(4, checkOf(header));
  return header;
}

/** @returns undefined when it is no whole header */
export function readRecord(header: Uint8Array): FrameRecord | undefined {
  const view = new DataView(header.buffer, header.byteOffset, RECORD_HEADER);
  if (view.getUint32(0) !== MAGIC || view.getUint32(4) !== checkOf(header)) return undefined;
  const hex = (byte: number) => byte.toString(16).padStart(2, "0");
  return {
    key: Array.from(header.subarray(8, 24), hex).join(""),
    owner: new TextDecoder().decode(header.subarray(37, 37 + header[36]!)),
    costMs: view.getFloat32(32),
    size: view.getUint32(24),
    hash: view.getUint32(28),
    lastUsedMs: view.getFloat64(USED_AT),
    removed: header[REMOVED_AT] !== 0,
  };
}

/** FNV-1a of the fields that stay. */
function checkOf(header: Uint8Array): number {
  let hash = 0x811c9dc5;
  for (let i = CHECKED.from; i < CHECKED.to; i++) hash = Math.imul(hash ^ header[i]!, 0x01000193);
  return hash >>> 0;
}
