import { isNearlyFull, playsFromDrive, slowedTo, type DriveTest } from "./drive";

const GIB = 2 ** 30;
const measured = (readRate: number, direct = true): DriveTest => ({
  mount: "/media/fast",
  atMs: 0,
  frames: 24,
  frameBytes: 2_073_600,
  writeRate: 1e8,
  readRate,
  frameMs: 4,
  direct,
});

test("playback counts on a drive that reads a fifth faster than it needs", () => {
  // 1920 × 1080 at 50 %, 8-bit, 24 a second: 49.8 MB/s.
  expect(playsFromDrive(59_800_000, 49_766_400)).toBe(true);
  expect(playsFromDrive(59_600_000, 49_766_400)).toBe(false);
});

test("nearly full is below 2 GB, or a tenth of a small drive", () => {
  expect(isNearlyFull({ totalBytes: 500 * GIB, freeBytes: 1.9 * GIB })).toBe(true);
  expect(isNearlyFull({ totalBytes: 500 * GIB, freeBytes: 2.1 * GIB })).toBe(false);
  expect(isNearlyFull({ totalBytes: 10 * GIB, freeBytes: 1.1 * GIB })).toBe(false);
});

test("a drive got slower when it reads less than 70 % of its best, measured in the same way", () => {
  expect(slowedTo([])).toBeUndefined();
  expect(slowedTo([measured(500), measured(400)])).toBeUndefined();
  expect(slowedTo([measured(500), measured(300)])).toBeCloseTo(0.6);
  // The page cache is no yardstick for the drive, nor are frames of another size.
  expect(slowedTo([measured(5000, false), measured(300)])).toBeUndefined();
  expect(slowedTo([{ ...measured(500), frameBytes: 8_294_400 }, measured(300)])).toBeUndefined();
});
