import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { randoms } from "../../../../testing/pictures";
import type { Depth } from "../composition";
import { readFrame, writeFrame } from "./frame";
import type { Picture } from "./picture";

// Debian's ffmpeg knows nothing of this code: what it reads and writes alike is what the formats say.

const folder = mkdtempSync(path.join(tmpdir(), "kinetocache-formats-"));
afterAll(() => rmSync(folder, { recursive: true }));

/** Runs ffmpeg on a file. @returns what it put out */
function ffmpeg(input: readonly string[], output: readonly string[], content: Uint8Array, extension = "raw"): Buffer {
  const file = path.join(folder, `input.${extension}`);
  writeFileSync(file, content);
  const args = ["-hide_banner", "-loglevel", "error", ...input, "-i", file, ...output, "pipe:1"];
  const { status, stdout, stderr, error } = spawnSync("ffmpeg", args, { maxBuffer: 2 ** 28 });
  if (error) throw error;
  if (status !== 0) throw new Error(String(stderr));
  return stdout;
}

const CODECS = { pam: "pam", qoi: "qoi", exr: "exr" } as const;
const [WIDTH, HEIGHT] = [61, 37];

/** Raw samples as ffmpeg takes and gives them: RGBA in 8-bit, planes of green, blue, red and alpha in float. */
const raw = (depth: Depth, size = `${WIDTH}x${HEIGHT}`) => [
  "-f",
  "rawvideo",
  "-pix_fmt",
  depth === "8-bit" ? "rgba" : "gbrapf32le",
  "-s",
  size,
];
const image = (codec: keyof typeof CODECS) => ["-f", "image2pipe", "-c:v", CODECS[codec]];

/** Values that half and float hold alike, so that both can be compared exactly; transparent at the edges. */
function values(): Float32Array {
  const next = randoms(5);
  const all = new Float32Array(WIDTH * HEIGHT * 4);
  for (let y = 4; y < HEIGHT - 6; y++)
    for (let i = (y * WIDTH + 3) * 4; i < (y * WIDTH + WIDTH - 9) * 4; i++) all[i] = Math.floor(next() * 2048) / 512;
  return all;
}

/** Halves of non-negative numbers below 4 with at most eleven digits of mantissa, worked out by hand. */
function halves(floats: Float32Array): Uint16Array {
  return Uint16Array.from(floats, (value) => {
    if (value === 0) return 0;
    const exponent = Math.floor(Math.log2(value));
    return ((exponent + 15) << 10) | ((value / 2 ** exponent - 1) * 1024);
  });
}

function planes(rgba: Float32Array): Float32Array {
  const count = rgba.length / 4;
  return Float32Array.from(rgba, (_, at) => rgba[(at % count) * 4 + [1, 2, 0, 3][Math.floor(at / count)]!]!);
}

const bytesOf = (array: ArrayBufferView) => new Uint8Array(array.buffer, array.byteOffset, array.byteLength);
const floats = values();

function picture(depth: Depth): Picture {
  const pixels =
    depth === "8-bit"
      ? Uint8Array.from(floats, (value) => value * 60)
      : bytesOf(depth === "half" ? halves(floats) : floats);
  return { width: WIDTH, height: HEIGHT, depth, pixels };
}

/** The picture as raw samples. */
function samplesOf(depth: Depth): Uint8Array {
  return depth === "8-bit" ? picture("8-bit").pixels : bytesOf(planes(floats));
}

const cases = [
  ["8-bit", false, "pam"],
  ["8-bit", true, "qoi"],
  ["half", false, "exr"],
  ["half", true, "exr"],
  ["float", false, "exr"],
  ["float", true, "exr"],
] as const;

test.each(cases)("what is written at %s, packed: %s, another tool reads as %s", (depth, packed, codec) => {
  const file = writeFrame(picture(depth), packed);
  const samples = ["-f", "rawvideo", "-pix_fmt", depth === "8-bit" ? "rgba" : "gbrapf32le"];
  const read = ffmpeg([], samples, file, codec);
  expect(Buffer.compare(read, samplesOf(depth))).toBe(0);
});

test.each([
  ["8-bit", "pam", []],
  ["8-bit", "qoi", []],
  ["half", "exr", ["-compression", "none", "-format", "half"]],
  ["half", "exr", ["-compression", "zip16", "-format", "half"]],
  ["float", "exr", ["-compression", "none", "-format", "float"]],
  ["float", "exr", ["-compression", "zip1", "-format", "float"]],
  ["float", "exr", ["-compression", "zip16", "-format", "float"]],
] as const)("what another tool writes at %s as %s %j is read", (depth, codec, options) => {
  const file = ffmpeg(raw(depth), [...image(codec), ...options], samplesOf(depth));
  const read = readFrame(new Uint8Array(file));
  expect([read.width, read.height, read.depth]).toEqual([WIDTH, HEIGHT, depth]);
  expect(Buffer.compare(read.pixels, picture(depth).pixels)).toBe(0);
});

test("an opaque OpenEXR file without alpha is read as opaque", () => {
  const opaque = ["-f", "rawvideo", "-pix_fmt", "gbrpf32le", "-s", `${WIDTH}x${HEIGHT}`];
  const file = ffmpeg(
    opaque,
    [...image("exr"), "-format", "half"],
    samplesOf("float").subarray(0, WIDTH * HEIGHT * 12),
  );
  const { pixels } = readFrame(new Uint8Array(file));
  const alphas = new Uint16Array(pixels.slice().buffer).filter((_, i) => i % 4 === 3);
  expect(new Set(alphas)).toEqual(new Set([0x3c00]));
});
