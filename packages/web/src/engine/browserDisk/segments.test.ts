import { DEFAULT_LOCATION_SETTINGS, RECENT_MS } from "@kinetocache/core";
import fc from "fast-check";
import { keyOf } from "../../../../../testing/keys";
import { MemoryFolder } from "../../../../../testing/memoryFolder";
import { nodeKernels } from "../../../../../testing/renderer";
import { ContentHash } from "./contentHash";
import { readRecord, RECORD_HEADER, writeRecordHeader } from "./record";
import { Segments, type SegmentFolder } from "./segments";

const KIB = 1024;

const hash = new ContentHash(nodeKernels());
const opened = (folder: SegmentFolder, segmentBytes?: number) => Segments.open(folder, hash, segmentBytes);

const content = (n: number, size = 1000) => {
  const pattern = Uint8Array.from({ length: 251 }, (_, i) => (i * 7 + n * 31) & 255);
  return new Uint8Array(Buffer.alloc(size, pattern));
};
const frame = (n: number, costMs = 40) => ({ key: keyOf(n), owner: "night-roost", costMs });
const read = (segments: Segments, n: number) => segments.read(keyOf(n), new Uint8Array(256 * KIB));
const held = (segments: Segments) => segments.keys().map(([key]) => Number.parseInt(key, 16));

test("a frame comes back byte for byte, also after the storage was opened anew", async () => {
  const folder = new MemoryFolder();
  const first = await opened(folder);
  for (const n of [1, 2, 3]) await first.write(frame(n, n * 10), content(n, 1000 + n));
  expect(Buffer.compare(await read(first, 2), content(2, 1002))).toBe(0);
  const second = await opened(folder);
  expect(second.keys()).toEqual([1, 2, 3].map((n) => [keyOf(n), n * 10]));
  expect(Buffer.compare(await read(second, 3), content(3, 1003))).toBe(0);
  expect(second.items()[0]).toMatchObject({ owner: "night-roost", bytes: RECORD_HEADER + 1008 });
});

test("a frame that is held already is not written again", async () => {
  const folder = new MemoryFolder();
  const segments = await opened(folder);
  await Promise.all([1, 2, 3].map(() => segments.write(frame(1), content(1))));
  expect(segments.size).toBe(1);
  expect(folder.bytes).toBe(segments.bytes);
});

test("whatever byte of a frame changes, it is noticed, removed, and the others stay", () =>
  fc.assert(
    fc.asyncProperty(fc.nat(999), fc.integer({ min: 1, max: 255 }), async (at, change) => {
      const folder = new MemoryFolder();
      const segments = await opened(folder);
      for (const n of [1, 2, 3]) await segments.write(frame(n), content(n));
      const [file] = [...folder.files.values()];
      file![RECORD_HEADER + 1000 + RECORD_HEADER + at]! ^= change;
      await expect(read(segments, 2)).rejects.toMatchObject({ failure: { code: "damaged" } });
      await expect(read(segments, 2)).rejects.toMatchObject({ failure: { code: "not-held" } });
      for (const n of [1, 3]) expect(Buffer.compare(await read(segments, n), content(n))).toBe(0);
    }),
    { numRuns: 300 },
  ));

test("a header that is damaged costs its own frame, not those behind it", () =>
  fc.assert(
    fc.asyncProperty(fc.nat(103), fc.integer({ min: 1, max: 255 }), async (at, change) => {
      const folder = new MemoryFolder();
      const segments = await opened(folder);
      for (const n of [1, 2, 3]) await segments.write(frame(n), content(n));
      const [file] = [...folder.files.values()];
      file![RECORD_HEADER + 1000 + at]! ^= change;
      const again = await opened(folder);
      expect(held(again)).toEqual([1, 3]);
      for (const n of [1, 3]) expect(Buffer.compare(await read(again, n), content(n))).toBe(0);
      await again.write(frame(9), content(9));
      expect(held(await opened(folder))).toEqual([1, 3, 9]);
    }),
    { numRuns: 200 },
  ));

test("killed at any byte of what it writes, every frame before is whole and nothing else is listed", async () => {
  const folder = new MemoryFolder();
  const segments = await opened(folder);
  const finished: number[] = [];
  for (const n of [1, 2, 3]) {
    await segments.write(frame(n), content(n, 300 * n));
    finished.push(folder.changes.length);
  }
  for (const [last, change] of folder.changes.entries()) {
    for (let torn = 0; torn <= change.bytes.byteLength; torn += 9) {
      const left = new MemoryFolder();
      for (const { name, at, bytes } of folder.changes.slice(0, last)) left.put(name, bytes, at);
      left.put(change.name, change.bytes.subarray(0, torn), change.at);
      const again = await opened(left);
      const whole = [1, 2, 3].filter((_, index) => finished[index]! <= last);
      const listed = held(again);
      // The one that was being written may have become whole with its last bytes.
      expect(listed.slice(0, whole.length)).toEqual(whole);
      for (const n of listed) expect(Buffer.compare(await read(again, n), content(n, 300 * n))).toBe(0);
      await again.write(frame(9), content(9));
      expect(held(await opened(left))).toEqual([...listed, 9]);
    }
  }
});

test("without room the frame is refused, and the storage goes on with what it has", async () => {
  const folder = new MemoryFolder();
  const segments = await opened(folder);
  await segments.write(frame(1), content(1));
  folder.left = 500;
  await expect(segments.write(frame(2), content(2))).rejects.toMatchObject({ failure: { code: "drive-full" } });
  folder.left = Infinity;
  expect(Buffer.compare(await read(segments, 1), content(1))).toBe(0);
  await segments.write(frame(3), content(3));
  expect(held(await opened(folder))).toEqual([1, 3]);
});

test("what was removed is gone, and its space is back", async () => {
  const folder = new MemoryFolder();
  const segments = await opened(folder);
  for (let n = 0; n < 20; n++) await segments.write(frame(n), content(n, 100_000));
  const before = folder.bytes;
  await segments.remove([0, 2, 4, 6, 8].map(keyOf));
  expect(folder.bytes).toBeLessThan(before - 4.9 * 100_000);
  expect(held(segments).sort((a, b) => a - b)).toEqual([1, 3, 5, 7, ...Array.from({ length: 11 }, (_, n) => n + 9)]);
  for (const n of held(segments)) expect(Buffer.compare(await read(segments, n), content(n, 100_000))).toBe(0);
  await segments.remove();
  expect(folder.bytes).toBe(0);
});

describe("the cap", () => {
  const settings = { ...DEFAULT_LOCATION_SETTINGS, capBytes: 96 * KIB };
  let now = 1e12;
  beforeEach(() => jest.spyOn(Date, "now").mockImplementation(() => now));
  afterEach(() => jest.restoreAllMocks());

  test("what was used long ago makes room; what is in use does not, and the newcomer is refused", async () => {
    const folder = new MemoryFolder();
    const segments = await opened(folder, 32 * KIB);
    await segments.configure(settings);
    for (let n = 0; n < 12; n++) await segments.write(frame(n), content(n, 7800));
    await expect(segments.write(frame(50), content(50, 7800))).rejects.toMatchObject({
      failure: { code: "cap-reached" },
    });
    now += 2 * RECENT_MS;
    await read(segments, 0);
    await segments.write(frame(50), content(50, 7800));
    expect(folder.bytes).toBeLessThanOrEqual(settings.capBytes);
    expect(held(segments)).toEqual([0, 1, 2, 3, 8, 9, 10, 11, 50]);
  });

  test("by the other rule, what is quickest to render again goes first", async () => {
    const segments = await opened(new MemoryFolder(), 32 * KIB);
    await segments.configure({ ...settings, rule: "quickest to render again" });
    for (let n = 0; n < 12; n++) await segments.write(frame(n, n >= 4 && n < 8 ? 5 : 500), content(n, 7800));
    now += 2 * RECENT_MS;
    await segments.write(frame(50), content(50, 7800));
    expect(held(segments)).toEqual([0, 1, 2, 3, 8, 9, 10, 11, 50]);
  });

  test("a lower cap takes effect at once", async () => {
    const folder = new MemoryFolder();
    const segments = await opened(folder, 32 * KIB);
    await segments.configure(settings);
    for (let n = 0; n < 12; n++) await segments.write(frame(n), content(n, 7800));
    await segments.configure({ ...settings, capBytes: 40 * KIB });
    expect(folder.bytes).toBeLessThanOrEqual(40 * KIB);
  });

  test("it holds whatever is written, read and removed, and the index agrees with a plain model", () =>
    fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.oneof(
            fc.record({
              kind: fc.constant("write" as const),
              n: fc.nat(15),
              size: fc.integer({ min: 1, max: 9 * KIB }),
            }),
            fc.record({
              kind: fc.constantFrom("remove" as const, "read" as const),
              n: fc.nat(15),
              size: fc.constant(0),
            }),
            fc.record({ kind: fc.constant("reopen" as const), n: fc.constant(0), size: fc.constant(0) }),
          ),
          { maxLength: 25 },
        ),
        async (steps) => {
          const folder = new MemoryFolder();
          let segments = await opened(folder, 32 * KIB);
          await segments.configure({ ...settings, capBytes: 34 * KIB });
          const model = new Map<number, number>();
          for (const { kind, n, size } of steps) {
            now += RECENT_MS * 2;
            if (kind === "write") {
              await segments.write(frame(n), content(n, size));
              if (!model.has(n)) model.set(n, size);
            } else if (kind === "remove") {
              await segments.remove([keyOf(n)]);
              model.delete(n);
            } else if (kind === "reopen") {
              segments = await opened(folder, 32 * KIB);
              await segments.configure({ ...settings, capBytes: 34 * KIB });
            } else if (segments.describe(keyOf(n)) !== undefined) await read(segments, n);
            // What gave way to the cap is gone from both.
            for (const key of [...model.keys()]) if (segments.describe(keyOf(key)) === undefined) model.delete(key);
            expect(folder.bytes).toBeLessThanOrEqual(34 * KIB);
            expect(folder.bytes).toBe(segments.bytes);
            expect(held(segments).sort()).toEqual([...model.keys()].sort());
          }
          for (const [n, size] of model)
            expect(hash.of(await segments.read(keyOf(n), new Uint8Array(9 * KIB)))).toBe(hash.of(content(n, size)));
        },
      ),
      { numRuns: 100 },
    ));
});

test("headers say all and are read back; half a header is none", () =>
  fc.assert(
    fc.property(
      fc.nat(),
      fc.integer({ min: 1, max: 2 ** 31 }),
      fc.stringMatching(/^[a-z0-9-]{1,64}$/),
      fc.nat(RECORD_HEADER - 25),
      (n, size, owner, torn) => {
        const record = { key: keyOf(n), owner, costMs: 12.5, size, hash: n >>> 0, lastUsedMs: 1e12, removed: false };
        const header = writeRecordHeader(record);
        expect(readRecord(header)).toEqual(record);
        const half = new Uint8Array(RECORD_HEADER);
        half.set(header.subarray(0, torn));
        // Where only zeros are missing it is whole all the same.
        if (Buffer.compare(half.subarray(0, 104), header.subarray(0, 104)) !== 0)
          expect(readRecord(half)).toBeUndefined();
      },
    ),
  ));
