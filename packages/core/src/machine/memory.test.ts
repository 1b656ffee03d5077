import fc from "fast-check";
import {
  BOOKKEEPING_BYTES,
  frameBytes,
  framesThatFit,
  keptFreeBytes,
  largestBudget,
  requiredReadBack,
  secondsHeld,
  smallestBudget,
} from "./memory";

const hd = { width: 1920, height: 1080 };
const GIB = 2 ** 30;
const machine = (installed: number, available: number) => ({
  installedBytes: installed * GIB,
  availableBytes: available * GIB,
  swapUsedBytes: 0,
  cores: 2,
  processor: "",
  system: "",
});

test("a 1920×1080 frame has 8.3 MB at 8-bit, twice that at half, four times at float, a quarter at 50 %", () => {
  expect(frameBytes(hd, 1, "8-bit")).toBe(8_294_400);
  expect(frameBytes(hd, 1, "half")).toBe(16_588_800);
  expect(frameBytes(hd, 1, "float")).toBe(33_177_600);
  expect(frameBytes(hd, 0.5, "8-bit")).toBe(2_073_600);
  expect(frameBytes({ width: 1921, height: 1081 }, 0.5, "8-bit")).toBe(961 * 541 * 4);
});

test("1 GB holds 517 half-size frames, 21.5 s at 24 frames per second", () => {
  expect(framesThatFit(GIB, 2_073_600)).toBe(517);
  expect(secondsHeld(517, { numerator: 24, denominator: 1 })).toBeCloseTo(21.54, 2);
});

test("frames that fit do fit, and one more would not", () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 2 ** 36 }), fc.integer({ min: 16, max: 2 ** 28 }), (budget, bytes) => {
      const frames = framesThatFit(budget, bytes);
      return frames * (bytes + BOOKKEEPING_BYTES) <= budget && (frames + 1) * (bytes + BOOKKEEPING_BYTES) > budget;
    }),
  );
});

test("10 % or 2 GB stay free, whichever is larger; the rest, with what the cache holds already, can be given", () => {
  expect(keptFreeBytes(64 * GIB)).toBeCloseTo(6.4 * GIB);
  expect(keptFreeBytes(8 * GIB)).toBe(2 * GIB);
  expect(largestBudget(machine(64, 40), 3 * GIB, GIB)).toBe(Math.floor(35.6 * GIB));
  expect(largestBudget(machine(8, 1), 0, 0)).toBe(0);
});

test("the least budget holds the window and the frame under the playhead", () => {
  expect(framesThatFit(smallestBudget({ before: 24, after: 96 }, 1000), 1000)).toBe(121);
});

test("playing 50 % at 24 frames per second needs 49.8 MB a second from disk", () => {
  expect(requiredReadBack(2_073_600, { numerator: 24, denominator: 1 })).toBe(49_766_400);
});
