import { base64 } from "@scure/base";
import { encode } from "fast-png";
import fc from "fast-check";
import { randoms } from "../../../../testing/pictures";
import { nodeKernels } from "../../../../testing/renderer";
import type { Depth } from "../composition";
import { PACK, packedExr, readExr, writeExr } from "./exr";
import { formatFor, readForeignFrame, readFrame, writeFrame } from "./frame";
import { pamHeader, writePam } from "./pam";
import { FormatError, type Picture } from "./picture";
import { decodePng, encodePng } from "./png";
import { writeQoi } from "./qoi";

const BYTES = { "8-bit": 4, half: 8, float: 16 } as const;

/** Pictures with runs, small steps, noise and changes of alpha, so that every kind of QOI chunk occurs. */
function picture(width: number, height: number, depth: Depth, seed: number): Picture {
  const next = randoms(seed);
  const pixels = new Uint8Array(width * height * BYTES[depth]);
  for (let i = 0; i < pixels.length; i++) {
    const style = Math.floor(i / (BYTES[depth] * 17)) % 4;
    const before = pixels[i - BYTES[depth]] ?? 0;
    pixels[i] =
      style === 0
        ? before
        : style === 1
          ? before + Math.floor(next() * 4) - 2
          : style === 2
            ? before + Math.floor(next() * 20) - 10
            : Math.floor(next() * 256);
  }
  return { width, height, depth, pixels };
}

const pictures = fc.record({
  width: fc.integer({ min: 1, max: 70 }),
  height: fc.integer({ min: 1, max: 40 }),
  depth: fc.constantFrom<Depth>("8-bit", "half", "float"),
  packed: fc.boolean(),
  seed: fc.integer(),
});

test("what was written is read back bit by bit, in every format", () => {
  fc.assert(
    fc.property(pictures, ({ width, height, depth, packed, seed }) => {
      const original = picture(width, height, depth, seed);
      const read = readFrame(writeFrame(original, packed));
      expect([read.width, read.height, read.depth]).toEqual([width, height, depth]);
      expect(Buffer.compare(read.pixels, original.pixels)).toBe(0);
    }),
  );
});

test("kernels pack to the same bytes and unpack to the same pixels, and notice what ends early", () => {
  const kernels = nodeKernels();
  fc.assert(
    fc.property(pictures, fc.double({ min: 0, max: 1, noNaN: true }), ({ width, height, seed }, share) => {
      const original = picture(width, height, "8-bit", seed);
      const file = writeQoi(original);
      expect(Buffer.compare(writeQoi(original, kernels), file)).toBe(0);
      expect(Buffer.compare(readFrame(file, undefined, kernels).pixels, original.pixels)).toBe(0);
      const cut = file.subarray(0, Math.floor((file.length - 9) * share));
      expect(() => readFrame(cut, undefined, kernels)).toThrow(FormatError);
    }),
  );
});

test("a file that ends early is refused, wherever it is cut", () => {
  fc.assert(
    fc.property(
      pictures,
      fc.double({ min: 0, max: 0.999, noNaN: true }),
      ({ width, height, depth, packed, seed }, share) => {
        const file = writeFrame(picture(width, height, depth, seed), packed);
        const cut = file.subarray(0, Math.floor(file.length * share));
        // QOI closes with 8 bytes of padding that hold no pixel; losing a part of them loses nothing.
        fc.pre(formatFor(depth, packed) !== "qoi" || cut.length < file.length - 8);
        expect(() => readFrame(cut)).toThrow(FormatError);
      },
    ),
  );
});

test("bytes that are no picture never crash a reader", () => {
  const starts = [
    pamHeader(2, 2),
    Uint8Array.of(0x71, 0x6f, 0x69, 0x66),
    Uint8Array.of(0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0),
    new Uint8Array(0),
  ];
  fc.assert(
    fc.property(fc.constantFrom(...starts), fc.uint8Array({ maxLength: 300 }), (start, rest) => {
      const file = new Uint8Array([...start, ...rest]);
      try {
        readFrame(file);
      } catch (error) {
        expect(error).toBeInstanceOf(FormatError);
      }
    }),
    { numRuns: 500 },
  );
});

test("a view that starts anywhere in a buffer is read and written alike", () => {
  const original = picture(9, 5, "half", 3);
  const shifted = new Uint8Array(original.pixels.length + 1);
  shifted.set(original.pixels, 1);
  const file = writeFrame({ ...original, pixels: shifted.subarray(1) }, false);
  expect(Buffer.compare(file, writeFrame(original, false))).toBe(0);
  const moved = new Uint8Array(file.length + 3);
  moved.set(file, 3);
  expect(Buffer.compare(readFrame(moved.subarray(3)).pixels, original.pixels)).toBe(0);
});

test("formats follow their specifications to the byte", () => {
  expect(
    Buffer.from(writeFrame({ width: 1, height: 1, depth: "8-bit", pixels: Uint8Array.of(1, 2, 3, 4) }, false)).toString(
      "latin1",
    ),
  ).toBe("P7\nWIDTH 1\nHEIGHT 1\nDEPTH 4\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\n\x01\x02\x03\x04");
  // Worked out by hand: a run of 2 of the start pixel, a small step and back, a table hit, a change of alpha.
  const pixels = Uint8Array.of(0, 0, 0, 255, 0, 0, 0, 255, 1, 0, 255, 255, 0, 0, 0, 255, 1, 0, 255, 255, 9, 9, 9, 8);
  expect([...writeQoi({ width: 6, height: 1, depth: "8-bit", pixels }).subarray(14)]).toEqual([
    0xc1, 0x79, 0x5b, 0x31, 0xff, 9, 9, 9, 8, 0, 0, 0, 0, 0, 0, 0, 1,
  ]);
  const exr = writeFrame({ width: 1, height: 1, depth: "half", pixels: Uint8Array.of(1, 0, 2, 0, 3, 0, 4, 0) }, false);
  expect([...exr.subarray(0, 8)]).toEqual([0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0]);
  expect([...exr.subarray(exr.length - 8)]).toEqual([4, 0, 3, 0, 2, 0, 1, 0]);
});

test.each([false, true])(
  "OpenEXR stores the data window alone, and gives the whole picture back (packed: %s)",
  (packed) => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 40 }),
        fc.integer({ min: 1, max: 40 }),
        fc.array(fc.tuple(fc.nat(39), fc.nat(39)), { maxLength: 4 }),
        (width, height, dots) => {
          const pixels = new Uint8Array(width * height * 8);
          for (const [x, y] of dots) if (x < width && y < height) pixels[(y * width + x) * 8 + 6] = 7;
          const file = writeExr({ width, height, depth: "half", pixels }, packed ? PACK : undefined);
          const read = readExr(file);
          expect([read.width, read.height]).toEqual([width, height]);
          expect(Buffer.compare(read.pixels, pixels)).toBe(0);
        },
      ),
    );
    const one = new Uint8Array(100 * 100 * 8).fill(1, (50 * 100 + 50) * 8, (50 * 100 + 51) * 8);
    expect(
      writeExr({ width: 100, height: 100, depth: "half", pixels: one }, packed ? PACK : undefined).length,
    ).toBeLessThan(500);
  },
);

test("a plain OpenEXR file is packed as if its picture had been, and a packed one is left alone", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 50 }),
      fc.integer({ min: 1, max: 50 }),
      fc.constantFrom("half" as const, "float" as const),
      fc.integer({ min: 0, max: 255 }),
      (width, height, depth, mask) => {
        const bytes = width * height * (depth === "half" ? 8 : 16);
        const pixels = Uint8Array.from({ length: bytes }, (_, at) => (at * 31 + (at >> 4)) & mask);
        const plain = writeExr({ width, height, depth, pixels });
        const packed = writeExr({ width, height, depth, pixels }, PACK);
        expect(Buffer.compare(packedExr(plain, PACK), packed)).toBe(0);
        expect(packedExr(packed, PACK)).toBe(packed);
        expect(Buffer.compare(readForeignFrame(packed).pixels, pixels)).toBe(0);
        expect(() => packedExr(plain.subarray(0, plain.length - 1), PACK)).toThrow("a line is missing");
      },
    ),
  );
});

test("a data window that reaches beyond the picture is cut to it", () => {
  const pixels = Uint8Array.from({ length: 6 * 4 * 8 }, (_, i) => i + 1);
  const file = writeExr({ width: 6, height: 4, depth: "half", pixels });
  // The display window is made 3 × 2, from the pixel at 2, 1 on.
  const at = Buffer.from(file).indexOf("displayWindow") + "displayWindow".length + 1 + "box2i".length + 1 + 4;
  const view = new DataView(file.buffer, file.byteOffset);
  [2, 1, 4, 2].forEach((value, n) => view.setInt32(at + n * 4, value, true));
  const read = readExr(file);
  expect([read.width, read.height]).toEqual([3, 2]);
  const line = (y: number) => [...pixels.subarray((y * 6 + 2) * 8, (y * 6 + 5) * 8)];
  expect([...read.pixels]).toEqual([...line(1), ...line(2)]);
});

test("formats refuse a depth they would cut down", () => {
  expect(() => writePam(picture(2, 2, "half", 1))).toThrow("PAM holds 8-bit pictures here, not half");
  expect(() => writeQoi(picture(2, 2, "float", 1))).toThrow("QOI holds 8-bit pictures, not float");
  expect(() => writeExr(picture(2, 2, "8-bit", 1))).toThrow("OpenEXR holds half and float");
});

test("PNG stills of every colour type come in as RGBA", () => {
  const read = (channels: 1 | 2 | 3 | 4, depth: 8 | 16, data: number[]) => [
    ...decodePng(
      base64.encode(
        encode({
          width: 1,
          height: 1,
          channels,
          depth,
          data: depth === 8 ? Uint8Array.from(data) : Uint16Array.from(data),
        }),
      ),
    ).data,
  ];
  expect(read(4, 8, [1, 2, 3, 4])).toEqual([1, 2, 3, 4]);
  expect(read(3, 8, [1, 2, 3])).toEqual([1, 2, 3, 255]);
  expect(read(1, 8, [7])).toEqual([7, 7, 7, 255]);
  expect(read(2, 8, [7, 9])).toEqual([7, 7, 7, 9]);
  expect(read(4, 16, [0xffff, 0x8080, 0, 0xffff])).toEqual([255, 128, 0, 255]);
  const original = picture(5, 4, "8-bit", 2);
  expect(Buffer.compare(decodePng(encodePng(original)).data, original.pixels)).toBe(0);
  expect(() => decodePng("AAAA")).toThrow(FormatError);
});
