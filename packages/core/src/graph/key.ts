import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import type { Document } from "../composition";

/** 128 bits as 32 hexadecimal digits: equal keys mean equal pixels. */
export type ContentKey = string;

export const KEY_PATTERN = /^[0-9a-f]{32}$/;

/** Names one state of a document: equal states have equal keys. */
export function documentKey(document: Document): ContentKey {
  return digest(JSON.stringify(document));
}

function digest(text: string): ContentKey {
  return bytesToHex(sha256(utf8ToBytes(text)).subarray(0, 16));
}

const REMEMBERED = 20_000;
const remembered = new Map<string, ContentKey>();

/**
 * SHA-256 of a canonical description, cut to 128 bits. Descriptions repeat from frame to frame wherever a
 * branch stays still, so the latest are remembered: looking one up costs a tenth of hashing it again.
 */
export function contentKey(description: string): ContentKey {
  const known = remembered.get(description);
  if (known) return known;
  const key = digest(description);
  if (remembered.size >= REMEMBERED) remembered.clear();
  remembered.set(description, key);
  return key;
}
