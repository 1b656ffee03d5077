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

/** SHA-256 of a text of any length, cut to 128 bits. */
export function digest(text: string): ContentKey {
  return bytesToHex(sha256(utf8ToBytes(text)).subarray(0, 16));
}

// Bound once: it is called a dozen times a block.
const { imul } = Math;

// The hash under way.
const state = new Int32Array(4);

function rotate(value: number, bits: number): number {
  return (value << bits) | (value >>> (32 - bits));
}

function addBlock(k1: number, k2: number, k3: number, k4: number): void {
  let h1 = state[0]!;
  let h2 = state[1]!;
  let h3 = state[2]!;
  let h4 = state[3]!;
  h1 ^= imul(rotate(imul(k1, 0x239b961b), 15), 0xab0e9789);
  h1 = (imul(rotate(h1, 19) + h2, 5) + 0x561ccd1b) | 0;
  h2 ^= imul(rotate(imul(k2, 0xab0e9789), 16), 0x38b34ae5);
  h2 = (imul(rotate(h2, 17) + h3, 5) + 0x0bcaa747) | 0;
  h3 ^= imul(rotate(imul(k3, 0x38b34ae5), 17), 0xa1e38b93);
  h3 = (imul(rotate(h3, 15) + h4, 5) + 0x96cd1c35) | 0;
  h4 ^= imul(rotate(imul(k4, 0xa1e38b93), 18), 0x239b961b);
  h4 = (imul(rotate(h4, 13) + h1, 5) + 0x32ac3b17) | 0;
  state[0] = h1;
  state[1] = h2;
  state[2] = h3;
  state[3] = h4;
}

/** Two characters as 32 bits; nothing beyond the end. */
function charsAt(text: string, at: number): number {
  return at + 1 < text.length
    ? text.charCodeAt(at) | (text.charCodeAt(at + 1) << 16)
    : at < text.length
      ? text.charCodeAt(at)
      : 0;
}

/** Eight hexadecimal digits of a key as 32 bits. */
export function wordAt(key: ContentKey, start: number): number {
  let word = 0;
  for (let at = start; at < start + 8; at++) {
    const code = key.charCodeAt(at);
    word = (word << 4) | (code > 57 ? code - 87 : code - 48);
  }
  return word;
}

function avalanche(value: number): number {
  let h = value;
  h = imul(h ^ (h >>> 16), 0x85ebca6b);
  h = imul(h ^ (h >>> 13), 0xc2b2ae35);
  return h ^ (h >>> 16);
}

const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, "0"));

function hexOf(word: number): string {
  return HEX[word >>> 24]! + HEX[(word >>> 16) & 255]! + HEX[(word >>> 8) & 255]! + HEX[word & 255]!;
}

/**
 * Key of a canonical description and of the keys that it builds upon, in order. Millions are made where it is asked what
 * a history can still show: this takes a tenth of SHA-256, and nobody gains by two descriptions with one key.
 * Source: MurmurHash3_x86_128 by Austin Appleby (public domain), over the text in UTF-16, filled up to whole blocks, its
 * length in a block of its own, and 16 bytes a key.
 */
export function contentKey(description: string, below: readonly ContentKey[] = []): ContentKey {
  const { length } = description;
  state.fill(0);
  addBlock(length, below.length, 0, 0);
  for (let at = 0; at < length; at += 8)
    addBlock(
      charsAt(description, at),
      charsAt(description, at + 2),
      charsAt(description, at + 4),
      charsAt(description, at + 6),
    );
  for (const key of below) addBlock(wordAt(key, 0), wordAt(key, 8), wordAt(key, 16), wordAt(key, 24));
  const bytes = 16 * (1 + Math.ceil(length / 8) + below.length);
  let a = state[0]! ^ bytes;
  let b = state[1]! ^ bytes;
  let c = state[2]! ^ bytes;
  let d = state[3]! ^ bytes;
  a = (a + b + c + d) | 0;
  b = avalanche((b + a) | 0);
  c = avalanche((c + a) | 0);
  d = avalanche((d + a) | 0);
  a = (avalanche(a) + b + c + d) | 0;
  return hexOf(a) + hexOf(b + a) + hexOf(c + a) + hexOf(d + a);
}
