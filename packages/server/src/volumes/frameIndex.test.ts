import { mkdir, readdir, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import fc from "fast-check";
import { keyOf } from "../../../../testing/keys";
import { withFolder } from "../../../../testing/server";
import { nameOf } from "./frameFile";
import { Place } from "../files/place";
import { FrameIndex } from "./frameIndex";
import type { StoredFrame } from "./storedFrame";
import { decodeIndex, encodeIndex, type SavedOwner } from "./savedIndex";

const frame = (n: number, owner = "main"): StoredFrame => ({
  key: keyOf(n),
  crc: n,
  costMs: n % 1000,
  format: "qoi",
  owner,
  size: 10 + n,
  lastUsedMs: 1e12 + n,
});

const owners = fc
  .array(fc.tuple(fc.stringMatching(/^[a-z0-9-]{1,20}$/), fc.double({ noNaN: true }), fc.array(fc.nat())), {
    maxLength: 4,
  })
  .map((list) =>
    list.map(([owner, changedMs, numbers]): SavedOwner => ({
      owner,
      changedMs,
      frames: numbers.map((n) => frame(n, owner)),
    })),
  );

test("what is kept is read back", () => {
  fc.assert(
    fc.property(owners, (saved) => expect(decodeIndex(encodeIndex(saved))).toEqual(JSON.parse(JSON.stringify(saved)))),
  );
});

test("a file that was cut, or of which any byte changed, counts as lost", () => {
  fc.assert(
    fc.property(owners, fc.nat(), fc.integer({ min: 1, max: 255 }), (saved, at, change) => {
      const file = encodeIndex(saved);
      expect(decodeIndex(file.subarray(0, at % file.length))).toEqual([]);
      file[at % file.length]! ^= change;
      expect(decodeIndex(file)).toEqual([]);
    }),
  );
});

/** Frames as files in a folder, with an index of it. */
async function withFrames(
  use: (frames: string, open: () => Promise<FrameIndex>, place: Place) => Promise<void>,
): Promise<void> {
  await withFolder(async (folder) => {
    const frames = path.join(folder, "frames");
    for (const owner of ["main", "other"]) {
      await mkdir(path.join(frames, owner), { recursive: true });
      for (let n = 0; n < 5; n++)
        await writeFile(path.join(frames, owner, nameOf(frame(n + (owner === "main" ? 0 : 100)))), "x".repeat(10));
    }
    const place = new Place(folder);
    await use(frames, () => FrameIndex.open(place), place);
    place.letGo();
  });
}

test("an index that is kept gives the same as reading the folders, times included", () =>
  withFrames(async (_frames, open, place) => {
    const read = await open();
    expect(read.size).toBe(10);
    read.get(keyOf(3))!.lastUsedMs = 1234.5;
    await read.save(place);
    const kept = await open();
    const byKey = (a: StoredFrame, b: StoredFrame) => a.key.localeCompare(b.key);
    expect(kept.all().sort(byKey)).toEqual(read.all().sort(byKey));
    expect(kept.bytes).toBe(read.bytes);
    // Kept once, used once: what happens from here on is not in it.
    expect((await open()).get(keyOf(3))!.lastUsedMs).not.toBe(1234.5);
  }));

test("a folder that changed meanwhile is read again, and only that", () =>
  withFrames(async (frames, open, place) => {
    const first = await open();
    for (const one of first.all()) one.lastUsedMs = 77;
    await first.save(place);
    await writeFile(path.join(frames, "other", nameOf(frame(200))), "new");
    const again = await open();
    expect(again.size).toBe(11);
    expect(again.get(keyOf(1))!.lastUsedMs).toBe(77);
    expect(again.get(keyOf(101))!.lastUsedMs).toBeGreaterThan(1e12);
  }));

test("what was removed behind the index's back is not kept", () =>
  withFrames(async (frames, open, place) => {
    const first = await open();
    const [name] = await readdir(path.join(frames, "main"));
    await rm(path.join(frames, "main", name!));
    await first.save(place);
    expect((await open()).size).toBe(9);
  }));
