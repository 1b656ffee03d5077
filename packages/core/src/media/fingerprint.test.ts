import fc from "fast-check";
import { fingerprintOf, stretchesOf } from "./fingerprint";

const of = (file: Uint8Array) => fingerprintOf(file.length, (start, end) => file.subarray(start, end));

test("the same file has the same fingerprint, and one that differs where it is read has another", async () => {
  await fc.assert(
    fc.asyncProperty(fc.integer({ min: 1, max: 400_000 }), fc.nat(), async (bytes, seed) => {
      const file = Uint8Array.from({ length: bytes }, (_, at) => (at * 31 + seed) & 255);
      const stretches = stretchesOf(bytes);
      const { start, end } = stretches[seed % stretches.length]!;
      const other = file.slice();
      other[start + (seed % (end - start))]! ^= 1;
      expect(await of(file)).toBe(await of(file.slice()));
      expect(await of(file)).not.toBe(await of(other));
      expect(await of(file)).not.toBe(await of(file.subarray(0, bytes - 1)));
    }),
    { numRuns: 30 },
  );
});

test("no more than three short stretches are read, whatever the size, and none of them is beyond the end", () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 2 ** 45 }), (bytes) => {
      const stretches = stretchesOf(bytes);
      expect(stretches.reduce((sum, { start, end }) => sum + end - start, 0)).toBe(Math.min(bytes, 3 * 65_536));
      for (const [at, { start, end }] of stretches.entries()) {
        expect(end).toBeLessThanOrEqual(bytes);
        expect(start).toBeGreaterThanOrEqual(at === 0 ? 0 : stretches[at - 1]!.end);
      }
    }),
  );
});

test("an empty file has a fingerprint too", async () => {
  expect(await of(new Uint8Array(0))).toMatch(/^[0-9a-f]{32}$/);
});
