import { base64 } from "@scure/base";
import { decode, encode, type DecodedPng } from "fast-png";
import { straightened } from "./adam7";
import { FormatError, type Picture } from "./picture";
import { srgbToLinear } from "../drawing";

/** Decodes a PNG still in base64, as 8-bit RGBA. @throws FormatError */
export function decodePng(text: string): {
  readonly width: number;
  readonly height: number;
  readonly data: Uint8Array;
} {
  let file: Uint8Array;
  try {
    file = base64.decode(text);
  } catch (cause) {
    throw new FormatError("PNG", (cause as Error).message);
  }
  const { width, height, pixels } = readRounded(samplesOf(file));
  return { width, height, data: pixels };
}

const LARGEST_PIXELS = 2 ** 26;
const SIGNATURE = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];
// Signature, then length and type of the first chunk.
const SIZE_AT = 16;
const DEPTH_AT = 24;
const INTERLACE_AT = 28;

/** What the header of a PNG file says; the rest is not looked at. @throws FormatError */
export function pngSize(file: Uint8Array): { readonly width: number; readonly height: number } {
  if (SIGNATURE.some((byte, at) => file[at] !== byte)) throw new FormatError("PNG", "the signature is missing", 0);
  if (file.length < SIZE_AT + 8) throw new FormatError("PNG", "ends early: in the header", file.length);
  const view = new DataView(file.buffer as ArrayBuffer, file.byteOffset);
  const [width, height] = [view.getUint32(SIZE_AT), view.getUint32(SIZE_AT + 4)];
  if (width === 0 || height === 0) throw new FormatError("PNG", `a picture of ${width} × ${height} pixels`, SIZE_AT);
  return { width, height };
}

/** What a file holds: samples, and what they stand for. */
interface Samples extends Pick<DecodedPng, "width" | "height" | "channels" | "depth" | "palette" | "transparency"> {
  readonly line: (y: number) => ArrayLike<number>;
}

/** @throws FormatError */
function samplesOf(file: Uint8Array): Samples {
  const size = pngSize(file);
  // Packed as small as can be, a pixel of one bit takes a little more than a bit in a thousand.
  const most = Math.min(LARGEST_PIXELS, file.length * 8 * 1032);
  if (size.width * size.height > most)
    throw new FormatError(
      "PNG",
      `${file.length} bytes cannot hold, or are not to hold, ${size.width} × ${size.height} pixels`,
    );
  try {
    const bits = file[DEPTH_AT] ?? 0;
    // The decoder puts the pixels of such passes in the wrong places.
    const isStraight = bits >= 8 || file[INTERLACE_AT] === 0;
    const png = decode(isStraight ? file : straightened(file, size.width, size.height, bits), { checkCrc: true });
    const line = linesOf(png.data, png.width * png.channels, png.depth);
    return { ...png, line };
  } catch (cause) {
    throw cause instanceof FormatError ? cause : new FormatError("PNG", (cause as Error).message);
  }
}

/** Goes through the pixels, each as what red, green, blue and alpha are of `2 ** depth - 1`; of a palette, of 255. */
function eachPixel(samples: Samples, take: (into: number, r: number, g: number, b: number, a: number) => void): void {
  const { width, height, channels, depth, palette, transparency, line } = samples;
  const most = 2 ** depth - 1;
  const isGrey = channels < 3;
  const hasAlpha = channels % 2 === 0;
  for (let y = 0, into = 0; y < height; y++) {
    const row = line(y);
    for (let x = 0; x < width; x++, into += 4) {
      const at = x * channels;
      const r = row[at]!;
      if (palette) {
        const color = palette[r];
        if (!color) throw new FormatError("PNG", `the palette has no color ${r}`);
        take(into, color[0]!, color[1]!, color[2]!, color[3] ?? 255);
        continue;
      }
      const [g, b] = isGrey ? [r, r] : [row[at + 1]!, row[at + 2]!];
      // One color may stand for what is transparent, where there is no alpha.
      const isClear = transparency?.[0] === r && (isGrey || (transparency[1] === g && transparency[2] === b));
      take(into, r, g, b, hasAlpha ? row[at + channels - 1]! : isClear ? 0 : most);
    }
  }
}

/** As 8-bit RGBA. @throws FormatError */
function readRounded(samples: Samples): Picture {
  const { width, height } = samples;
  const pixels = new Uint8Array(width * height * 4);
  const scale = samples.palette ? 1 : 255 / (2 ** samples.depth - 1);
  eachPixel(samples, (into, r, g, b, a) => {
    pixels[into] = Math.round(r * scale);
    pixels[into + 1] = Math.round(g * scale);
    pixels[into + 2] = Math.round(b * scale);
    pixels[into + 3] = Math.round(a * scale);
  });
  return { width, height, depth: "8-bit", pixels };
}

/**
 * Reads a PNG file, any of its colour types and depths: 16 bits as float, which holds all of them, and fewer as 8-bit.
 * @throws FormatError
 */
export function readPng(file: Uint8Array): Picture {
  const samples = samplesOf(file);
  if (samples.depth < 16) return readRounded(samples);
  const { width, height } = samples;
  const values = new Float32Array(width * height * 4);
  const linear = Float32Array.from({ length: 65_536 }, (_, code) => srgbToLinear(code / 65_535));
  eachPixel(samples, (into, r, g, b, a) => {
    const alpha = a / 65_535;
    values[into] = linear[r]! * alpha;
    values[into + 1] = linear[g]! * alpha;
    values[into + 2] = linear[b]! * alpha;
    values[into + 3] = alpha;
  });
  return { width, height, depth: "float", pixels: new Uint8Array(values.buffer) };
}

/** Lines of a picture, one value a sample; samples of fewer than eight bits share bytes in the file. */
function linesOf(data: DecodedPng["data"], samples: number, depth: number): (y: number) => ArrayLike<number> {
  if (depth >= 8) return (y) => data.subarray(y * samples, (y + 1) * samples);
  const lineBytes = Math.ceil((samples * depth) / 8);
  const line = new Uint8Array(samples);
  return (y) => {
    for (let x = 0; x < samples; x++) {
      const bit = x * depth;
      line[x] = (data[y * lineBytes + (bit >> 3)]! >> (8 - depth - (bit & 7))) & (2 ** depth - 1);
    }
    return line;
  };
}

/** An 8-bit picture as a PNG file. */
export function writePng({ width, height, pixels }: Picture): Uint8Array {
  return encode({ width, height, data: pixels, channels: 4, depth: 8 });
}

/** An 8-bit picture as a PNG file in base64, as documents hold stills. */
export function encodePng(picture: Picture): string {
  return base64.encode(writePng(picture));
}
