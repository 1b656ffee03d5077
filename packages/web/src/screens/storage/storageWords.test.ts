import type { Drive, DriveTest } from "@kinetocache/core";
import { storageAnswer, testNote } from "./storageWords";

const GIB = 2 ** 30;
const MIB = 2 ** 20;
const drive: Drive = {
  mount: "/media/fast",
  device: "/dev/made-up1",
  kind: "solid state",
  totalBytes: 500 * GIB,
  freeBytes: 200 * GIB,
  isSystem: false,
  holdsCache: true,
};
const measured = (readRate: number, direct = true): DriveTest => ({
  mount: "/media/fast",
  atMs: 0,
  frames: 24,
  frameBytes: 2 * MIB,
  writeRate: 90 * MIB,
  readRate,
  frameMs: 4,
  direct,
});
const answer = (tests: readonly DriveTest[], change: Partial<Drive> = {}) =>
  storageAnswer([{ ...drive, ...change }], tests, 50 * MIB, "Night Roost");

test("the answer says whether the cache's drive plays back in real time, with both numbers", () => {
  expect(answer([]).sentence).toBe("The cache's drive is not tested yet");
  expect(answer([measured(400 * MIB)])).toEqual({
    sentence: "Fast enough to play from disk",
    detail: "reads 400 MB/s, Night Roost needs 50.0 MB/s. /media/fast, solid state",
  });
  expect(answer([measured(400 * MIB), measured(55 * MIB)]).sentence).toBe("Too slow to play from disk");
});

test("what speaks against the place is said, and another drive's tests say nothing", () => {
  expect(answer([], { kind: "spinning" }).detail).toBe("/media/fast: a spinning drive reads single frames slowly");
  expect(answer([{ ...measured(400 * MIB), mount: "/elsewhere" }]).sentence).toContain("is not tested yet");
  expect(storageAnswer([], [], 1, "x").sentence).toContain("not listed");
});

test("a drive that got slower, and a figure that may not be the drive's, are told", () => {
  expect(testNote([])).toBe("not tested yet");
  expect(testNote([measured(400)])).toBe("");
  expect(testNote([measured(400), measured(100)])).toBe("slower than before: 25 % of its best");
  expect(testNote([measured(400, false)])).toContain("may come from the system's memory");
});
