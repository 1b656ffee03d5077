import { formatLoss, formatName, storedDepth } from "./location";
import { judgeFormat, packsFaster, type FormatTrial } from "./packing";

const MIB = 2 ** 20;
const rate = { numerator: 24, denominator: 1 };
const trial: FormatTrial = {
  location: "main",
  packing: "packed",
  frames: 8,
  pixelBytes: 2 * MIB,
  storedBytes: MIB,
  writeRate: 40 * MIB,
  readRate: 60 * MIB,
  readRates: [60 * MIB],
};

test("a format is judged by what fits and by whether it plays, the margin included", () => {
  // 24 frames a second of 2 MB need 48 MB/s, and 57.6 with the margin of a fifth.
  expect(judgeFormat(trial, rate, 240 * MIB)).toMatchObject({ seconds: 10, realTime: true });
  expect(judgeFormat({ ...trial, readRate: 57 * MIB }, rate, 240 * MIB).realTime).toBe(false);
  expect(judgeFormat(trial, rate, 0).seconds).toBe(0);
});

test("packing pays when the way is slow, and not when unpacking takes longer than it saves", () => {
  // On a way of 100 MB/s plain takes 20 ms, packed 10 ms and unpacking; that has to be a fifth less.
  expect(packsFaster(2 * MIB, MIB, 100 * MIB, 5.9)).toBe(true);
  expect(packsFaster(2 * MIB, MIB, 100 * MIB, 6.1)).toBe(false);
  expect(packsFaster(2 * MIB, MIB, 1000 * MIB, 5.9)).toBe(false);
});

test("a location keeps what it is allowed to, and says what it loses", () => {
  expect(storedDepth("float", "half")).toBe("half");
  expect(storedDepth("8-bit", "float")).toBe("8-bit");
  expect(formatLoss("half", "float")).toBeUndefined();
  expect(formatLoss("8-bit", "8-bit")).toBeUndefined();
  expect(formatLoss("float", "8-bit")).toMatch(/float and are kept at 8-bit: .* are lost/);
  expect([formatName("8-bit", false), formatName("8-bit", true)]).toEqual(["PAM", "QOI"]);
  expect([formatName("half", false), formatName("float", true)]).toEqual(["OpenEXR, plain", "OpenEXR, ZIP"]);
});
