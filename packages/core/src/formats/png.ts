import { base64 } from "@scure/base";
import { decode, encode, type DecodedPng } from "fast-png";
import { FormatError, type Picture } from "./picture";

/** Decodes a PNG still in base64. @throws FormatError */
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
  const { width, height, pixels } = readPng(file);
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

/** Reads a PNG file, any of its colour types and depths, as 8-bit RGBA. @throws FormatError */
export function readPng(file: Uint8Array): Picture {
  const size = pngSize(file);
  // Packed as small as can be, a pixel of one bit takes a little more than a bit in a thousand.
  const most = Math.min(LARGEST_PIXELS, file.length * 8 * 1032);
  if (size.width * size.height > most)
    throw new FormatError(
      "PNG",
      `${file.length} bytes cannot hold, or are not to hold, ${size.width} × ${size.height} pixels`,
    );
  // The decoder puts the pixels of such passes in the wrong places.
  const bits = file[DEPTH_AT] ?? 0;
  if (bits < 8 && file[INTERLACE_AT] !== 0)
    throw new FormatError(
      "PNG",
      `interlaced pictures of ${bits} bits are not read; save it without interlacing`,
      INTERLACE_AT,
    );
  let png: ReturnType<typeof decode>;
  try {
    png = decode(file, { checkCrc: true });
  } catch (cause) {
    throw new FormatError("PNG", (cause as Error).message);
  }
  const { width, height, channels, depth, palette, transparency } = png;
  const pixels = new Uint8Array(width * height * 4);
  const scale = 255 / (2 ** depth - 1);
  const isGrey = channels < 3;
  const hasAlpha = channels % 2 === 0;
  const line = linesOf(png.data, width * channels, depth);
  for (let y = 0, into = 0; y < height; y++) {
    const row = line(y);
    for (let x = 0; x < width; x++, into += 4) {
      const at = x * channels;
      const r = row[at]!;
      if (palette) {
        const color = palette[r];
        if (!color) throw new FormatError("PNG", `the palette has no color ${r}`);
        pixels.set(color, into);
        if (color.length === 3) pixels[into + 3] = 255;
        continue;
      }
      const [g, b] = isGrey ? [r, r] : [row[at + 1]!, row[at + 2]!];
      // One color may stand for what is transparent, where there is no alpha.
      const isClear = transparency?.[0] === r && (isGrey || (transparency[1] === g && transparency[2] === b));
      pixels[into] = Math.round(r * scale);
      pixels[into + 1] = Math.round(g * scale);
      pixels[into + 2] = Math.round(b * scale);
      pixels[into + 3] = hasAlpha ? Math.round(row[at + channels - 1]! * scale) : isClear ? 0 : 255;
    }
  }
  return { width, height, depth: "8-bit", pixels };
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
