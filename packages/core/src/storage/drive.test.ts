import { cacheTroubles, playsFromDrive, slowedTo, type Drive, type DriveTest } from "./drive";

const GIB = 2 ** 30;
const drive = (change: Partial<Drive> = {}): Drive => ({
  mount: "/media/fast",
  device: "/dev/made-up1",
  kind: "solid state",
  totalBytes: 500 * GIB,
  freeBytes: 200 * GIB,
  isSystem: false,
  simulated: false,
  locations: [],
  ...change,
});
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

test("a fast drive with room is no trouble; each kind of other one is told of", () => {
  expect(cacheTroubles(drive())).toEqual([]);
  expect(cacheTroubles(drive({ kind: "spinning", isSystem: true }))).toEqual([
    "a spinning drive reads single frames slowly",
    "the system is on it, and suffers when it is full",
  ]);
  expect(cacheTroubles(drive({ kind: "network" }))[0]).toMatch("may stall");
  expect(cacheTroubles(drive({ kind: "removable" }))[0]).toMatch("gone next time");
});

test("nearly full is below 2 GB, or a tenth of a small drive", () => {
  expect(cacheTroubles(drive({ freeBytes: 1.9 * GIB }))).toEqual(["it is nearly full"]);
  expect(cacheTroubles(drive({ freeBytes: 2.1 * GIB }))).toEqual([]);
  expect(cacheTroubles(drive({ totalBytes: 10 * GIB, freeBytes: 1.1 * GIB }))).toEqual([]);
});

test("a drive got slower when it reads less than 70 % of its best, measured in the same way", () => {
  expect(slowedTo([])).toBeUndefined();
  expect(slowedTo([measured(500), measured(400)])).toBeUndefined();
  expect(slowedTo([measured(500), measured(300)])).toBeCloseTo(0.6);
  // The page cache is no yardstick for the drive, nor are frames of another size.
  expect(slowedTo([measured(5000, false), measured(300)])).toBeUndefined();
  expect(slowedTo([{ ...measured(500), frameBytes: 8_294_400 }, measured(300)])).toBeUndefined();
});
