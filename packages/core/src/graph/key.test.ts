import fc from "fast-check";
import { contentKey, KEY_PATTERN } from "./key";

const rotate = (value: number, bits: number) => (value << bits) | (value >>> (32 - bits));

function mixed(value: number): number {
  let h = value;
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return h ^ (h >>> 16);
}

const C = [0x239b961b, 0xab0e9789, 0x38b34ae5, 0xa1e38b93];
const TURNS = [15, 16, 17, 18];
const SPINS = [19, 17, 15, 13];
const ADDED = [0x561ccd1b, 0x0bcaa747, 0x96cd1c35, 0x32ac3b17];

/** MurmurHash3_x86_128 of any bytes, as it is published, with seed 0. */
function murmur(bytes: Uint8Array): string {
  const h = [0, 0, 0, 0];
  const scrambled = (k: number, lane: number) =>
    Math.imul(rotate(Math.imul(k, C[lane]!), TURNS[lane]!), C[(lane + 1) % 4]!);
  const end = bytes.length - (bytes.length % 16);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  for (let at = 0; at < end; at += 16)
    for (let lane = 0; lane < 4; lane++) {
      h[lane]! ^= scrambled(view.getInt32(at + 4 * lane, true), lane);
      h[lane] = (Math.imul(rotate(h[lane]!, SPINS[lane]!) + h[(lane + 1) % 4]!, 5) + ADDED[lane]!) | 0;
    }
  const tail = new Uint8Array(16);
  tail.set(bytes.subarray(end));
  const rest = new DataView(tail.buffer);
  for (let lane = 0; lane < 4; lane++) h[lane]! ^= scrambled(rest.getInt32(4 * lane, true), lane);
  const spread = () => {
    h[0] = (h[0]! + h[1]! + h[2]! + h[3]!) | 0;
    for (let lane = 1; lane < 4; lane++) h[lane] = (h[lane]! + h[0]) | 0;
  };
  for (let lane = 0; lane < 4; lane++) h[lane]! ^= bytes.length;
  spread();
  for (let lane = 0; lane < 4; lane++) h[lane] = mixed(h[lane]!);
  spread();
  return h.map((word) => (word >>> 0).toString(16).padStart(8, "0")).join("");
}

/** What a key is the hash of: lengths, the text in UTF-16 up to whole blocks, and the keys below. */
function hashed(text: string, below: readonly string[]): Uint8Array {
  const textBytes = 16 * Math.ceil(text.length / 8);
  const bytes = new Uint8Array(16 + textBytes + 16 * below.length);
  const view = new DataView(bytes.buffer);
  view.setInt32(0, text.length, true);
  view.setInt32(4, below.length, true);
  for (let at = 0; at < text.length; at++) view.setUint16(16 + 2 * at, text.charCodeAt(at), true);
  below.forEach((key, index) => {
    for (let word = 0; word < 4; word++)
      view.setUint32(16 + textBytes + 16 * index + 4 * word, parseInt(key.slice(8 * word, 8 * word + 8), 16), true);
  });
  return bytes;
}

const keys = fc.array(fc.integer({ min: 0, max: 15 }), { minLength: 32, maxLength: 32 });
const below = fc.array(
  keys.map((digits) => digits.map((digit) => digit.toString(16)).join("")),
  { maxLength: 5 },
);

test.each([
  ["Night Roost at 50 %, frame 12 of 240", "0513896812de733e5e7b166433faf780"],
  ["The quick brown fox jumps over the lazy dog", "2f1583c3ecee2c675d7bf66ce5e91d2c"],
])("the plain hash gives what other implementations give: %s", (text, hash) => {
  expect(murmur(new TextEncoder().encode(text))).toBe(hash);
});

test("a key is the hash of its description and of the keys below it, in any script and at any length", () => {
  fc.assert(
    fc.property(fc.string({ unit: "binary", maxLength: 60 }), below, (text, under) => {
      const key = contentKey(text, under);
      expect(key).toMatch(KEY_PATTERN);
      expect(key).toBe(murmur(hashed(text, under)));
    }),
  );
});

test("what ends in nothing, or has its keys in another order, has another key", () => {
  const [one, other] = [contentKey("one"), contentKey("other")];
  const all = [
    contentKey("a"),
    contentKey("a\0"),
    contentKey("a\0\0"),
    contentKey("a", [one]),
    contentKey("a", [other]),
    contentKey("a", [one, other]),
    contentKey("a", [other, one]),
  ];
  expect(new Set(all).size).toBe(all.length);
});
