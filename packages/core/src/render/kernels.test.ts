import fc from "fast-check";
import { download, largestDifference, randomPixels, randoms, upload } from "../../../../testing/pictures";
import { nodeKernels } from "../../../../testing/renderer";
import { BLEND_MODES } from "../composition";
import { decodeTable, encodeTable } from "./colour";
import { blend, blur, convert, effects, noise, picture, resample, sources } from "./reference";
import { gradientTable } from "../drawing/sources/gradient";
import { flockStrokes } from "../drawing/sources/flock";
import { boxForSigma, boxReach, SOURCES } from "../drawing";

// Every kernel against the plain version of itself.
const kernels = nodeKernels();
const { run, arena } = kernels;

// Sizes that are no multiple of anything, so that edges and remainders are met.
const SIZES: [number, number][] = [
  [1, 1],
  [5, 3],
  [37, 21],
  [70, 41],
];

function random(width: number, height: number, seed = 1): picture.FloatPicture & { address: number } {
  const data = randomPixels(width, height, seed);
  return { width, height, data, address: upload(kernels, data) };
}

function result(width: number, height: number, draw: (address: number) => void): Float32Array {
  const address = arena.allocate(width * height * 16);
  // A kernel must write every pixel: what lay there before would show.
  new Float32Array(run.memory.buffer, address, width * height * 4).fill(99);
  draw(address);
  const data = download(kernels, address, width * height * 4);
  arena.release(address);
  return data;
}

test("fill sets every pixel, copyRows copies between strides", () => {
  const filled = result(7, 3, (dst) => run.fill(dst, 21, 0.1, 0.2, 0.3, 0.4));
  expect(largestDifference(filled.subarray(80, 84), [0.1, 0.2, 0.3, 0.4])).toBeLessThan(1e-7);
  const source = random(9, 6);
  const copied = result(4, 2, (dst) => run.copyRows(dst, 4, source.address + (2 * 9 + 3) * 16, 9, 4, 2));
  expect(copied.subarray(0, 4)).toEqual(source.data.subarray((2 * 9 + 3) * 4, (2 * 9 + 3) * 4 + 4));
  expect(copied.subarray(16, 32)).toEqual(source.data.subarray((3 * 9 + 3) * 4, (3 * 9 + 7) * 4));
});

test.each(SIZES)("halve at %i × %i", (width, height) => {
  const source = random(width, height);
  const expected = resample.halve(source);
  const actual = result(expected.width, expected.height, (dst) => run.halve(dst, source.address, width, height));
  expect(largestDifference(actual, expected.data)).toBeLessThan(1e-6);
});

test("affine at any turn, size and place", () => {
  const source = random(37, 21);
  const number = (min: number, max: number) => fc.double({ min, max, noNaN: true });
  fc.assert(
    fc.property(number(-4, 4), number(0.3, 3), number(-20, 40), number(-20, 40), (angle, scale, x, y) => {
      const map = [
        Math.cos(angle) * scale,
        -Math.sin(angle) * scale,
        x,
        Math.sin(angle) * scale,
        Math.cos(angle) * scale,
        y,
      ].map(Math.fround) as [number, number, number, number, number, number];
      const expected = resample.affine(source, 30, 17, map);
      const actual = result(30, 17, (dst) => run.affine(dst, 30, source.address, 37, 21, ...map, 0, 17));
      expect(largestDifference(actual, expected.data)).toBeLessThan(2e-4);
    }),
    { numRuns: 60 },
  );
});

test("affine without turning, where the fast path takes all of a row", () => {
  const source = random(64, 40);
  const maps: [number, number, number, number, number, number][] = [
    [1, 0, 0, 0, 1, 0],
    [0.5, 0, 3.25, 0, 0.5, 1.75],
    [1.7, 0, -9, 0, 1.7, 4],
  ];
  for (const map of maps) {
    const expected = resample.affine(source, 64, 40, map);
    const actual = result(64, 40, (dst) => run.affine(dst, 64, source.address, 64, 40, ...map, 0, 40));
    expect(largestDifference(actual, expected.data)).toBeLessThan(1e-4);
  }
});

test.each([false, true])("8-bit in, premultiplied: %s", (premultiplied) => {
  const next = randoms(3);
  const data = Uint8Array.from({ length: 4 * 300 }, (_, i) =>
    i % 4 === 3 && next() < 0.3 ? 255 : Math.floor(next() * 256),
  );
  if (premultiplied)
    for (let i = 0; i < data.length; i += 4)
      for (let c = 0; c < 3; c++) data[i + c] = Math.min(data[i + c]!, data[i + 3]!);
  const [source, lut] = [upload(kernels, data), upload(kernels, decodeTable())];
  const actual = result(300, 1, (dst) => run.fromSrgb8(dst, source, 300, lut, Number(premultiplied)));
  expect(largestDifference(actual, convert.fromSrgb8(data, premultiplied))).toBeLessThan(1e-6);
});

test("8-bit out is within one step of the exact curve, and what is broken is not shown", () => {
  const source = random(70, 41, 9);
  const lut = upload(kernels, encodeTable());
  const encode = (address: number, count: number) => {
    const dst = arena.allocate(count * 4);
    run.toSrgb8(dst, address, count, lut);
    return new Uint8Array(run.memory.buffer, dst, count * 4).slice();
  };
  expect(largestDifference(encode(source.address, 70 * 41), convert.toSrgb8(source))).toBeLessThanOrEqual(1);
  const codes = Float32Array.from({ length: 1024 }, (_, i) => (i % 4 === 3 ? 1 : decodeTable()[i >> 2]!));
  expect(encode(upload(kernels, codes), 256)).toEqual(
    Uint8Array.from({ length: 1024 }, (_, i) => (i % 4 === 3 ? 255 : i >> 2)),
  );
  const broken = Float32Array.from([NaN, Infinity, -1, 1, NaN, NaN, NaN, NaN]);
  expect([...encode(upload(kernels, broken), 2)]).toEqual([0, 255, 0, 255, 0, 0, 0, 0]);
});

test("half is the nearest half, both ways, subnormals and ties included", () => {
  const special = [
    0,
    -0,
    1,
    -2,
    65504,
    70000,
    -1e9,
    2 ** -14,
    2 ** -24,
    2 ** -25,
    1.5 * 2 ** -24,
    2 ** -26,
    1 + 2 ** -11,
    1 + 3 * 2 ** -11,
    2047.5,
  ];
  fc.assert(
    fc.property(
      fc.array(fc.oneof(fc.constantFrom(...special), fc.float({ noNaN: true, noDefaultInfinity: true })), {
        minLength: 4,
        maxLength: 4,
      }),
      (values) => {
        const floats = Float32Array.from(values);
        const [src, mid, back] = [upload(kernels, floats), arena.allocate(8), arena.allocate(16)];
        run.toHalf(mid, src, 1);
        const halves = [...new Uint16Array(run.memory.buffer, mid, 4)];
        expect(halves).toEqual([...floats].map(convert.toHalf));
        run.fromHalf(back, mid, 1);
        expect([...download(kernels, back, 4)]).toEqual(halves.map(convert.fromHalf));
        [src, mid, back].forEach((address) => arena.release(address));
      },
    ),
  );
});

test("halves are shown as the floats they stand for", () => {
  const source = random(20, 5, 4);
  const lut = upload(kernels, encodeTable());
  const [half, floats, direct, via] = [
    arena.allocate(800),
    arena.allocate(1600),
    arena.allocate(400),
    arena.allocate(400),
  ];
  run.toHalf(half, source.address, 100);
  run.fromHalf(floats, half, 100);
  run.halfToSrgb8(direct, half, 100, lut);
  run.toSrgb8(via, floats, 100, lut);
  expect(new Uint8Array(run.memory.buffer, direct, 400)).toEqual(new Uint8Array(run.memory.buffer, via, 400));
});

test.each(BLEND_MODES.map((mode, index) => [mode, index] as const))("blend mode %s", (mode, index) => {
  const [top, below] = [random(33, 8, 5), random(33, 8, 6)];
  for (const opacity of [1, 0.37]) {
    const dst = upload(kernels, below.data);
    run.composite(dst, 33, top.address, 33, 33, 8, opacity, index);
    const expected = picture.paint(33, 8, (x, y) =>
      blend.blendPixel(picture.pixelAt(top, x, y), picture.pixelAt(below, x, y), opacity, mode),
    );
    expect(largestDifference(download(kernels, dst, 33 * 8 * 4), expected.data)).toBeLessThan(2e-6);
  }
});

describe.each(SIZES)("Gaussian blur at %i × %i", (width, height) => {
  test.each([0.4, 2.1, 6])("with a standard deviation of %f", (sigma) => {
    const source = random(width, height, 7);
    const box = boxForSigma(sigma);
    for (const repeat of [false, true]) {
      const spread = repeat ? 0 : boxReach(box);
      const [w, h] = [width + 2 * spread, height + 2 * spread];
      const rows = arena.allocate(w * height * 16);
      const padding = 6 * (box.radius + 1);
      const wide = 24;
      const scratch = arena.allocate(Math.max(2 * (w + padding), (padding + 4) * wide) * 16);
      run.gaussianRows(rows, w, source.address, width, height, spread, box.radius, box.alpha, scratch, Number(repeat));
      const actual = result(w, h, (dst) =>
        run.gaussianColumns(
          dst,
          h,
          rows,
          w,
          height,
          spread,
          box.radius,
          box.alpha,
          scratch,
          wide,
          Number(repeat),
          0,
          w,
        ),
      );
      expect(largestDifference(actual, blur.gaussian(source, box, spread, repeat).data)).toBeLessThan(1e-5);
      arena.release(rows);
      arena.release(scratch);
    }
  });
});

test("three extended boxes have the variance asked for, at every width", () => {
  fc.assert(
    fc.property(fc.double({ min: 0.2, max: 200, noNaN: true }), (sigma) => {
      const { radius, alpha } = boxForSigma(sigma);
      expect(alpha).toBeGreaterThanOrEqual(-1e-9);
      expect(alpha).toBeLessThan(1);
      let [total, second] = [1 + 0, 0];
      for (let k = 1; k <= radius; k++) {
        total += 2;
        second += 2 * k * k;
      }
      total += 2 * alpha;
      second += 2 * alpha * (radius + 1) ** 2;
      expect((3 * second) / total).toBeCloseTo(sigma * sigma, 6);
    }),
  );
});

test("blurring keeps the sum of the light", () => {
  const source = random(37, 21, 8);
  const box = boxForSigma(3);
  const spread = boxReach(box);
  const expected = blur.gaussian(source, box, spread, false).data;
  const sum = (data: Float32Array) => data.reduce((total, value) => total + value, 0);
  expect(sum(expected)).toBeCloseTo(sum(source.data), 1);
});

test("pairs of samples average along any direction, in a window that reaches past the source", () => {
  const source = random(37, 21, 2);
  for (const [dx, dy] of [
    [0, 0],
    [3, 0],
    [2.3, -1.7],
    [-0.25, 0.4],
    [40, 3],
  ] as const) {
    const expected = resample.pairAverage(source, 47, 27, [-5, -3], dx, dy);
    const actual = result(47, 27, (dst) => run.pairAverage(dst, 47, 27, source.address, 37, 21, -5, -3, dx, dy));
    expect(largestDifference(actual, expected.data)).toBeLessThan(2e-5);
  }
});

test.each(SIZES)("the two halves of glow at %i × %i", (width, height) => {
  const source = random(width, height, 11);
  const light = effects.brightPass(source, 0.4);
  const actual = result(light.width, light.height, (dst) => run.brightPass(dst, source.address, width, height, 0.4));
  expect(largestDifference(actual, light.data)).toBeLessThan(1e-6);
  const address = upload(kernels, light.data);
  const target = upload(kernels, source.data);
  run.addUpsampled(target, width, height, address, light.width, light.height, -3, 2, 0.8);
  expect(
    largestDifference(
      download(kernels, target, width * height * 4),
      effects.addUpsampled(source, light, [-3, 2], 0.8).data,
    ),
  ).toBeLessThan(1e-5);
});

test("colour grade over its whole range", () => {
  const source = random(70, 41, 12);
  for (const values of [
    { gains: [1, 1, 1], contrast: 1, pivot: 0.18, saturation: 1 },
    { gains: [2.1, 0.9, 0.4], contrast: 1.8, pivot: 0.18, saturation: 0 },
    { gains: [0.3, 0.3, 0.5], contrast: 0.4, pivot: 0.18, saturation: 2.5 },
  ] as const) {
    const { gains, contrast, pivot, saturation } = values;
    const [r, g, b] = gains;
    const actual = result(70, 41, (dst) =>
      run.grade(dst, source.address, 70 * 41, r, g, b, contrast, pivot, saturation),
    );
    const expected = effects.grade(source, values).data;
    for (let i = 0; i < expected.length; i++)
      expect(Math.abs(actual[i]! - expected[i]!)).toBeLessThan(1e-5 + 2e-5 * Math.abs(expected[i]!));
  }
});

test("grain is the same everywhere and leaves black and alpha alone", () => {
  const source = random(70, 41, 13);
  for (const [cell, origin] of [
    [1, [0, 0]],
    [2.5, [-7, 3]],
  ] as const) {
    const actual = result(70, 41, (dst) =>
      run.grain(dst, source.address, 70, 41, origin[0], origin[1], cell, 0.3, 12345),
    );
    expect(largestDifference(actual, effects.grain(source, origin, cell, 0.3, 12345).data)).toBeLessThan(1e-5);
    for (let i = 3; i < actual.length; i += 4) expect(actual[i]).toBe(source.data[i]);
  }
});

test.each(SIZES)("procedural noise at %i × %i", (width, height) => {
  const values = {
    x0: 3.3,
    y0: -7.1,
    stepX: 0.11,
    stepY: 0.23,
    z: 1.7,
    octaves: 4,
    seed: 9,
    low: 0.3,
    high: 0.7,
    colour: [0.2, 0.5, 0.9, 1] as [number, number, number, number],
  };
  const { x0, y0, stepX, stepY, z, octaves, seed, low, high, colour } = values;
  const actual = result(width, height, (dst) =>
    run.noise(dst, width, x0, y0, stepX, stepY, z, octaves, seed, low, high, ...colour, 0, height),
  );
  expect(largestDifference(actual, noise.noise(width, height, values).data)).toBeLessThan(1e-4);
});

test.each([false, true])("displacement, edges repeated: %s", (repeatEdge) => {
  const source = random(70, 41, 14);
  const values = { amount: 6, step: 0.07, x0: 1, y0: 2, z: 0.4, octaves: 3, seed: 21, repeatEdge };
  const actual = result(70, 41, (dst) =>
    run.displace(dst, source.address, 70, 41, 6, 0.07, 1, 2, 0.4, 3, 21, Number(repeatEdge), 0, 41),
  );
  expect(largestDifference(actual, effects.displace(source, values).data)).toBeLessThan(5e-4);
});

test("gradients, linear and radial", () => {
  const table = gradientTable(
    Object.fromEntries(Object.entries(SOURCES.gradient.parameters).map(([name, spec]) => [name, spec.default])),
  );
  const [address, size] = [upload(kernels, table), table.length / 4];
  const linear = result(37, 21, (dst) => run.linearGradient(dst, 37, 0.02, 0.01, -0.1, address, size, 0, 21));
  expect(largestDifference(linear, sources.linearGradient(37, 21, [0.02, 0.01, -0.1], table).data)).toBeLessThan(1e-4);
  const radial = result(37, 21, (dst) => run.radialGradient(dst, 37, 20, 9, 16, address, size, 0, 21));
  expect(largestDifference(radial, sources.radialGradient(37, 21, [20, 9, 16], table).data)).toBeLessThan(1e-4);
});

test("strokes of a flock, some of them outside the picture", () => {
  const list = flockStrokes(
    { count: 12, seed: 4, speed: 1.3, wingspan: 14, spread: 70, centreX: 30, centreY: 12 },
    60,
    33,
  );
  const dst = arena.allocate(60 * 33 * 16);
  run.fill(dst, 60 * 33, 0, 0, 0, 0);
  run.strokes(dst, 60, 33, upload(kernels, list), list.length / 6, 0.1, 0.4, 0.7);
  expect(
    largestDifference(download(kernels, dst, 60 * 33 * 4), sources.strokes(60, 33, list, [0.1, 0.4, 0.7]).data),
  ).toBeLessThan(1e-4);
});

test("contentBounds is the smallest rectangle of what is not empty", () => {
  const out = arena.allocate(16);
  const bounds = (w: number, h: number, data: Float32Array) => {
    const address = upload(kernels, data);
    run.contentBounds(address, w, h, out);
    arena.release(address);
    return [...new Int32Array(run.memory.buffer, out, 4)];
  };
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.integer({ min: 0, max: 22 }), fc.integer({ min: 0, max: 12 })), { maxLength: 6 }),
      (filled) => {
        const data = new Float32Array(23 * 13 * 4);
        for (const [x, y] of filled) data[(y * 23 + x) * 4 + 3] = 0.5;
        const xs = filled.map(([x]) => x);
        const ys = filled.map(([, y]) => y);
        const expected =
          filled.length === 0
            ? [0, 0, 0, 0]
            : [Math.min(...xs), Math.min(...ys), Math.max(...xs) + 1, Math.max(...ys) + 1];
        expect(bounds(23, 13, data)).toEqual(expected);
      },
    ),
  );
});
