import fc from "fast-check";
import { PACK, readExr, writeExr } from "./exr";
import { readForeignFrame } from "./frame";
import { readPam, writePam } from "./pam";
import { FormatError, type Picture } from "./picture";
import { readPng, writePng } from "./png";
import { readQoi, writeQoi } from "./qoi";

const BYTES = { "8-bit": 4, half: 8, float: 16 } as const;
const picture = (depth: Picture["depth"]): Picture => ({
  width: 23,
  height: 19,
  depth,
  pixels: Uint8Array.from({ length: 23 * 19 * BYTES[depth] }, (_, at) => (at * 37 + (at >> 5)) & 255),
});
const FILES: readonly (readonly [string, Uint8Array, (file: Uint8Array) => Picture])[] = [
  ["PNG", writePng(picture("8-bit")), readPng],
  ["QOI", writeQoi(picture("8-bit")), readQoi],
  ["OpenEXR, plain", writeExr(picture("half")), readExr],
  ["OpenEXR, packed", writeExr(picture("float"), PACK), readExr],
  ["PAM", writePam(picture("8-bit")), readPam],
];

const change = fc.record({
  at: fc.oneof(fc.nat(64), fc.nat(5000)),
  value: fc.oneof(fc.constantFrom(0, 1, 0x7f, 0x80, 0xff), fc.nat(255)),
});

test.each(FILES)("however a %s file is altered, it is read or refused in the words of its reader", (_, file, read) => {
  let largest = 0;
  fc.assert(
    fc.property(fc.array(change, { minLength: 1, maxLength: 6 }), fc.option(fc.nat(file.length)), (changes, cut) => {
      const altered = file.slice();
      for (const { at, value } of changes) altered[at % altered.length] = value;
      try {
        const { width, height, pixels, depth } = read(cut === null ? altered : altered.subarray(0, cut));
        expect(pixels.length).toBe(width * height * BYTES[depth]);
        largest = Math.max(largest, pixels.length);
      } catch (error) {
        expect(error).toBeInstanceOf(FormatError);
      }
    }),
    { numRuns: 2000, seed: 20_261_127 },
  );
  expect(largest).toBeLessThanOrEqual(2 ** 30);
});

test.each([
  [0x200, "tiled"],
  [0x800, "deep"],
  [0x1000, "multi-part"],
])("OpenEXR files with flag %d are refused by name", (flag, name) => {
  const file = writeExr(picture("half"));
  new DataView(file.buffer as ArrayBuffer).setUint32(4, 2 | flag, true);
  expect(() => readExr(file)).toThrow(`${name} files are not read`);
});

test("whatever is changed in the packed lines of another program's file, it is noticed", () => {
  const coarse = Uint8Array.from({ length: 23 * 19 * BYTES.half }, (_, at) => (at * at * 7 + (at >> 3)) & 60);
  const plain: Picture = { ...picture("half"), pixels: coarse };
  const file = writeExr(plain, PACK);
  expect(Buffer.compare(readForeignFrame(file).pixels, plain.pixels)).toBe(0);
  let unnoticed = 0;
  for (let at = Math.floor(file.length / 2); at < file.length; at++) {
    const altered = file.slice();
    altered[at]! ^= 1 << (at % 8);
    try {
      if (Buffer.compare(readForeignFrame(altered).pixels, plain.pixels) !== 0) unnoticed++;
    } catch (error) {
      expect(error).toBeInstanceOf(FormatError);
    }
  }
  expect(unnoticed).toBe(0);
});

test("a few bytes that stand for gigabytes are refused before anything is made for them", () => {
  const made: number[] = [];
  const newPixels = (bytes: number) => {
    made.push(bytes);
    return new Uint8Array(0);
  };
  const qoi = writeQoi(picture("8-bit"));
  new DataView(qoi.buffer as ArrayBuffer).setUint32(4, 20_000);
  new DataView(qoi.buffer as ArrayBuffer).setUint32(8, 20_000);
  expect(() => readQoi(qoi, newPixels)).toThrow("cannot hold 20000 × 20000 pixels");
  const exr = writeExr(picture("half"));
  // The last corner of both windows.
  const text = Buffer.from(exr).toString("latin1");
  for (const name of ["dataWindow", "displayWindow"]) {
    const at = text.indexOf(`${name}\0box2i\0`) + name.length + 7 + 4;
    for (const offset of [8, 12]) new DataView(exr.buffer as ArrayBuffer).setInt32(at + offset, 19_999, true);
  }
  expect(() => readExr(exr, newPixels)).toThrow("is too large");
  expect(made).toEqual([]);
});

test("what a block does not cover is transparent, and a block that is named twice is refused", () => {
  const pixels = new Uint8Array(8 * 64);
  new Uint16Array(pixels.buffer).fill(0x3c00);
  const exr = writeExr({ width: 8, height: 8, depth: "half", pixels });
  const read = (file: Uint8Array) => readExr(file, (bytes) => new Uint8Array(bytes).fill(0xab));
  expect(read(exr).pixels).toEqual(pixels);
  const twice = exr.slice();
  const view = new DataView(twice.buffer as ArrayBuffer);
  const table = Buffer.from(twice).indexOf("screenWindowWidth") + "screenWindowWidth\0float\0".length + 4 + 4 + 1;
  view.setBigUint64(table + 8, view.getBigUint64(table, true), true);
  expect(() => read(twice)).toThrow("named twice");
});

test.each([
  ["WIDTH 0x17", "WIDTH must be a whole decimal number above 0, not 0x17"],
  ["WIDTH 2e1", "not 2e1"],
  ["WIDTH", "WIDTH must be a whole decimal number above 0, not nothing"],
  ["DEPTH 3", "expected DEPTH 4 and MAXVAL 255"],
  ["MAXVAL 65535", "expected DEPTH 4 and MAXVAL 255"],
  ["TUPLTYPE CMYK", "expected TUPLTYPE RGB_ALPHA, not CMYK"],
])("a PAM file with %s is refused with what is wrong", (line, problem) => {
  const name = line.split(" ")[0]!;
  const file = Buffer.from(writePam(picture("8-bit"))).toString("latin1");
  const altered = Buffer.from(file.replace(new RegExp(`^${name} .*$`, "m"), line), "latin1");
  expect(() => readPam(altered)).toThrow(problem);
});
