import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, concatBytes, utf8ToBytes } from "@noble/hashes/utils.js";
import type { Bytes } from "../machine";

/** What of a file is read to know it again. */
const STRETCH: Bytes = 64 * 1024;

/** Half-open stretches of a file: its first, its middle and its last, or all of a small one. */
export function stretchesOf(bytes: Bytes): readonly { readonly start: Bytes; readonly end: Bytes }[] {
  if (bytes <= 3 * STRETCH) return [{ start: 0, end: bytes }];
  const middle = Math.floor((bytes - STRETCH) / 2);
  return [0, middle, bytes - STRETCH].map((start) => ({ start, end: start + STRETCH }));
}

/**
 * Names a file by its size and by its first, middle and last stretch, so that one of gigabytes is known again within
 * milliseconds.
 * @param read gives the bytes from `start` up to `end`, without it
 * @returns 128 bits of SHA-256 as 32 hexadecimal digits; files that differ between the stretches alone have the same
 * @throws what `read` throws
 */
export async function fingerprintOf(
  bytes: Bytes,
  read: (start: Bytes, end: Bytes) => Promise<Uint8Array> | Uint8Array,
): Promise<string> {
  const parts: Uint8Array[] = [utf8ToBytes(`${bytes}:`)];
  for (const { start, end } of stretchesOf(bytes)) parts.push(await read(start, end));
  return bytesToHex(sha256(concatBytes(...parts)).subarray(0, 16));
}
