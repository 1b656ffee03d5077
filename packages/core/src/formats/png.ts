import { base64 } from "@scure/base";
import { decode, encode } from "fast-png";
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
  let png: ReturnType<typeof decode>;
  try {
    png = decode(file, { checkCrc: true });
  } catch (cause) {
    throw new FormatError("PNG", (cause as Error).message);
  }
  const { width, height, channels, depth, palette } = png;
  const data = new Uint8Array(width * height * 4);
  const max = 2 ** depth - 1;
  const sample = (index: number) => Math.round((png.data[index]! / max) * 255);
  for (let i = 0; i < width * height; i++) {
    const at = i * channels;
    if (palette) {
      const [r, g, b, a = 255] = palette[png.data[at]!]! as number[];
      data.set([r!, g!, b!, a], i * 4);
      continue;
    }
    const grey = channels < 3;
    data[i * 4] = sample(at);
    data[i * 4 + 1] = sample(grey ? at : at + 1);
    data[i * 4 + 2] = sample(grey ? at : at + 2);
    data[i * 4 + 3] = channels % 2 === 0 ? sample(at + channels - 1) : 255;
  }
  return { width, height, depth: "8-bit", pixels: data };
}

/** An 8-bit picture as a PNG file. */
export function writePng({ width, height, pixels }: Picture): Uint8Array {
  return encode({ width, height, data: pixels, channels: 4, depth: 8 });
}

/** An 8-bit picture as a PNG file in base64, as documents hold stills. */
export function encodePng(picture: Picture): string {
  return base64.encode(writePng(picture));
}
