import { crc32 } from "node:zlib";
import { zlibSync } from "fflate";
import { readPng } from "./png";
import { srgbToLinear } from "../drawing";

// Files of every kind that PNG knows, made by hand (PNG specification, third edition, tables 11.1 and 11.2).

const WIDTH = 13;
const HEIGHT = 9;
const CHANNELS: Readonly<Record<number, number>> = { 0: 1, 2: 3, 3: 1, 4: 2, 6: 4 };
const KINDS: readonly (readonly [type: number, depths: readonly number[]])[] = [
  [0, [1, 2, 4, 8, 16]],
  [2, [8, 16]],
  [3, [1, 2, 4, 8]],
  [4, [8, 16]],
  [6, [8, 16]],
];
const PASSES = [
  [0, 0, 8, 8],
  [4, 0, 8, 8],
  [0, 4, 4, 8],
  [2, 0, 4, 4],
  [0, 2, 2, 4],
  [1, 0, 2, 2],
  [0, 1, 1, 2],
] as const;

interface Kind {
  readonly type: number;
  readonly depth: number;
  readonly isInterlaced: boolean;
  readonly hasTransparency: boolean;
}

const sampleAt = (x: number, y: number, channel: number, depth: number) =>
  (x * 7 + y * 13 + channel * 29 + ((x * y) << 3)) % 2 ** depth;
const colorOf = (index: number) => [(index * 71) & 255, (index * 37) & 255, (index * 113) & 255];
const alphaOf = (index: number) => (index * 53) & 255;

function chunk(type: string, data: Uint8Array): Buffer {
  const body = Buffer.concat([Buffer.from(type, "latin1"), data]);
  const [length, sum] = [Buffer.alloc(4), Buffer.alloc(4)];
  length.writeUInt32BE(data.length);
  sum.writeUInt32BE(crc32(body));
  return Buffer.concat([length, body, sum]);
}

/** Puts the filters on lines in turn (section 9.2). @param step bytes to the pixel on the left */
function filtered(plain: readonly Buffer[], step: number): Buffer {
  return Buffer.concat(
    plain.map((line, index) => {
      const above = plain[index - 1];
      const out = Buffer.from(line);
      const filter = (out[0] = index % 5);
      for (let at = 1; at < line.length; at++) {
        const left = at > step ? line[at - step]! : 0;
        const up = above?.[at] ?? 0;
        const corner = at > step ? (above?.[at - step] ?? 0) : 0;
        const near = [left, up, corner].map((value) => Math.abs(left + up - corner - value));
        const paeth = [left, up, corner][near.indexOf(Math.min(...near))]!;
        out[at] = line[at]! - [0, left, up, (left + up) >> 1, paeth][filter]!;
      }
      return out;
    }),
  );
}

/** Lines of the pixels at some columns and lines. */
function lines(kind: Kind, xs: readonly number[], ys: readonly number[]): Buffer {
  const channels = CHANNELS[kind.type]!;
  return filtered(
    ys.map((y) => {
      const line = Buffer.alloc(1 + Math.ceil((xs.length * channels * kind.depth) / 8));
      for (const [index, x] of xs.entries())
        for (let channel = 0; channel < channels; channel++) {
          const bit = (index * channels + channel) * kind.depth;
          const value = sampleAt(x, y, channel, kind.depth);
          if (kind.depth === 16) line.writeUInt16BE(value, 1 + bit / 8);
          else line[1 + (bit >> 3)]! |= value << (8 - kind.depth - (bit & 7));
        }
      return line;
    }),
    Math.max(1, (channels * kind.depth) / 8),
  );
}

const range = (from: number, to: number, step: number) =>
  Array.from({ length: Math.max(0, Math.ceil((to - from) / step)) }, (_, n) => from + n * step);

function fileOf(kind: Kind): Uint8Array {
  const header = Buffer.alloc(13);
  header.writeUInt32BE(WIDTH, 0);
  header.writeUInt32BE(HEIGHT, 4);
  header.set([kind.depth, kind.type, 0, 0, kind.isInterlaced ? 1 : 0], 8);
  const content = kind.isInterlaced
    ? PASSES.map(([x, y, dx, dy]) => {
        const [xs, ys] = [range(x, WIDTH, dx), range(y, HEIGHT, dy)];
        return xs.length > 0 ? lines(kind, xs, ys) : Buffer.alloc(0);
      })
    : [lines(kind, range(0, WIDTH, 1), range(0, HEIGHT, 1))];
  const colors = range(0, 2 ** Math.min(8, kind.depth), 1);
  const clear = Buffer.alloc(kind.type === 2 ? 6 : 2);
  for (let channel = 0; channel < clear.length / 2; channel++)
    clear.writeUInt16BE(sampleAt(3, 2, channel, kind.depth), channel * 2);
  const transparency = kind.type === 3 ? Buffer.from(colors.map(alphaOf)) : clear;
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    chunk("IHDR", header),
    ...(kind.type === 3 ? [chunk("PLTE", Buffer.from(colors.flatMap(colorOf)))] : []),
    ...(kind.hasTransparency ? [chunk("tRNS", transparency)] : []),
    chunk("IDAT", zlibSync(Buffer.concat(content))),
    chunk("IEND", new Uint8Array(0)),
  ]);
}

function expectedPixels({ type, depth, hasTransparency }: Kind): number[] {
  const max = 2 ** depth - 1;
  const most = depth === 16 ? max : 255;
  const scaled = (value: number) => Math.round((value / max) * most);
  return range(0, HEIGHT, 1).flatMap((y) =>
    range(0, WIDTH, 1).flatMap((x) => {
      const [a, b, c, d] = [0, 1, 2, 3].map((channel) => sampleAt(x, y, channel, depth));
      if (type === 3) return [...colorOf(a!), hasTransparency ? alphaOf(a!) : most];
      if (type === 4) return [scaled(a!), scaled(a!), scaled(a!), scaled(b!)];
      if (type === 6) return [scaled(a!), scaled(b!), scaled(c!), scaled(d!)];
      const own = type === 0 ? [a!, a!, a!] : [a!, b!, c!];
      const clear = (type === 0 ? [0, 0, 0] : [0, 1, 2]).map((channel) => sampleAt(3, 2, channel, depth));
      const isClear = hasTransparency && own.every((value, channel) => value === clear[channel]);
      return [...own.map(scaled), isClear ? 0 : most];
    }),
  );
}

const ALL = KINDS.flatMap(([type, depths]) =>
  depths.flatMap((depth) =>
    [false, true].flatMap((isInterlaced) =>
      (type > 3 ? [false] : [false, true]).map((hasTransparency): Kind => ({
        type,
        depth,
        isInterlaced,
        hasTransparency,
      })),
    ),
  ),
);

test.each(ALL)("color type $type, $depth bits, interlaced: $isInterlaced, tRNS: $hasTransparency", (kind) => {
  const picture = readPng(fileOf(kind));
  if (kind.depth < 16) {
    expect([...picture.pixels]).toEqual(expectedPixels(kind));
    return;
  }
  // All of the sixteen bits, linear and premultiplied.
  expect(picture.depth).toBe("float");
  const values = new Float32Array(picture.pixels.buffer);
  expectedPixels(kind).forEach((expected, at, all) => {
    const alpha = all[at - (at % 4) + 3]! / 65_535;
    const linear = at % 4 === 3 ? alpha : srgbToLinear(expected / 65_535) * alpha;
    expect(values[at]).toBeCloseTo(linear, 6);
  });
});

test("a checksum that is wrong is noticed wherever it is", () => {
  const file = fileOf({ type: 2, depth: 8, isInterlaced: false, hasTransparency: true });
  for (const at of [20, file.length - 20, file.length - 1]) {
    const altered = file.slice();
    altered[at]! ^= 1;
    expect(() => readPng(altered)).toThrow(/^PNG:/);
  }
});
