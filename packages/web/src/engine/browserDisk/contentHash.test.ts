import fc from "fast-check";
import { nodeKernels } from "../../../../../testing/renderer";
import { ContentHash } from "./contentHash";

/** The same check, word by word. */
function plainHash(content: Uint8Array): number {
  const view = new DataView(content.buffer, content.byteOffset, content.byteLength);
  const lanes = [0x811c9dc5 | 0, 0x01000193, 0x9e3779b9 | 0, 0x85ebca6b | 0] as const;
  let [a, b, c, d]: number[] = [...lanes] as [number, number, number, number];
  let at = 0;
  for (; at + 16 <= content.byteLength; at += 16) {
    const word = (n: number) => view.getInt32(at + 4 * n, true);
    a = Math.imul(a! ^ word(0), 0x01000193);
    b = Math.imul(b! ^ word(1), 0x01000193);
    c = Math.imul(c! ^ word(2), 0x01000193);
    d = Math.imul(d! ^ word(3), 0x01000193);
    a ^= d >>> 15;
  }
  let hash = content.byteLength;
  for (const lane of [a!, b!, c!, d!]) hash = Math.imul(hash ^ lane ^ (lane >>> 16), 0x85ebca6b);
  for (; at < content.byteLength; at++) hash = Math.imul(hash ^ content[at]!, 0x01000193);
  return (hash ^ (hash >>> 13)) >>> 0;
}

const hash = new ContentHash(nodeKernels());

test("is what it is word by word, at every length and wherever it begins", () =>
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 200 }), fc.nat(15), (bytes, start) => {
      const content = bytes.subarray(Math.min(start, bytes.length));
      expect(hash.of(content)).toBe(plainHash(content));
    }),
  ));

test("goes on from piece to piece", () => {
  for (const length of [65_535, 65_536, 65_537, 200_000]) {
    const content = Uint8Array.from({ length }, (_, i) => (i * 31 + (i >> 8)) & 255);
    expect(hash.of(content)).toBe(plainHash(content));
  }
});
