import crc32 from "crc-32";
import { unzlibSync, zlibSync } from "fflate";
import { FormatError } from "./picture";

// First column and line of each pass, and the steps between them (PNG specification, third edition, section 8.2).
const PASSES = [
  [0, 0, 8, 8],
  [4, 0, 8, 8],
  [0, 4, 4, 8],
  [2, 0, 4, 4],
  [0, 2, 2, 4],
  [1, 0, 2, 2],
  [0, 1, 1, 2],
] as const;
const SIGNATURE_BYTES = 8;
/** Length, type and checksum of a chunk. */
const AROUND_BYTES = 12;
const INTERLACE_AT = 12;

interface Chunk {
  readonly type: string;
  /** The whole of it. */
  readonly bytes: Uint8Array;
  readonly data: Uint8Array;
}

const checksum = (typeAndData: Uint8Array) => crc32.buf(typeAndData) >>> 0;

/** @throws FormatError also where a checksum is wrong */
function chunksOf(file: Uint8Array): Chunk[] {
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength);
  const chunks: Chunk[] = [];
  for (let at = SIGNATURE_BYTES; chunks.at(-1)?.type !== "IEND";) {
    const length = at + AROUND_BYTES <= file.length ? view.getUint32(at) : Infinity;
    const end = at + AROUND_BYTES + length;
    if (end > file.length) throw new FormatError("PNG", "ends early: in a chunk", at);
    const type = String.fromCharCode(...file.subarray(at + 4, at + 8));
    if (checksum(file.subarray(at + 4, end - 4)) !== view.getUint32(end - 4))
      throw new FormatError("PNG", `the checksum of ${type} is wrong`, end - 4);
    chunks.push({ type, bytes: file.subarray(at, end), data: file.subarray(at + 8, end - 4) });
    at = end;
  }
  return chunks;
}

function chunk(type: string, data: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(AROUND_BYTES + data.length);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, data.length);
  for (let at = 0; at < 4; at++) bytes[4 + at] = type.charCodeAt(at);
  bytes.set(data, 8);
  view.setUint32(bytes.length - 4, checksum(bytes.subarray(4, bytes.length - 4)));
  return bytes;
}

function joined(parts: readonly Uint8Array[]): Uint8Array {
  const all = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}

/** The predictor of filter 4 (section 9.4). */
function paeth(left: number, above: number, corner: number): number {
  const estimate = left + above - corner;
  const [a, b, c] = [Math.abs(estimate - left), Math.abs(estimate - above), Math.abs(estimate - corner)];
  return a <= b && a <= c ? left : b <= c ? above : corner;
}

/** Takes the filter off a line whose samples share bytes, in place (section 9.2). @throws FormatError */
function unfilter(filter: number, line: Uint8Array, above: Uint8Array | undefined): void {
  if (filter > 4) throw new FormatError("PNG", `there is no filter ${filter}`);
  for (let at = 0; at < line.length; at++) {
    const left = line[at - 1] ?? 0;
    const up = above?.[at] ?? 0;
    const predicted = [0, left, up, (left + up) >> 1, paeth(left, up, above?.[at - 1] ?? 0)][filter]!;
    line[at] = line[at]! + predicted;
  }
}

/** Lines of an interlaced picture of one channel, unpacked from their passes, each after a byte that says "no filter". */
function straightLines(packed: Uint8Array, width: number, height: number, bits: number): Uint8Array {
  const straightBytes = 1 + Math.ceil((width * bits) / 8);
  const straight = new Uint8Array(height * straightBytes);
  let at = 0;
  for (const [x0, y0, dx, dy] of PASSES) {
    const columns = Math.ceil((width - x0) / dx);
    const lineBytes = Math.ceil((columns * bits) / 8);
    let above: Uint8Array | undefined;
    for (let y = y0; y < height && columns > 0; y += dy) {
      const line = packed.subarray(at + 1, at + 1 + lineBytes);
      if (line.length < lineBytes) throw new FormatError("PNG", "ends early: in the pixels");
      unfilter(packed[at]!, line, above);
      for (let column = 0; column < columns; column++) {
        const from = column * bits;
        const sample = (line[from >> 3]! >> (8 - bits - (from & 7))) & (2 ** bits - 1);
        const to = (x0 + column * dx) * bits;
        straight[y * straightBytes + 1 + (to >> 3)]! |= sample << (8 - bits - (to & 7));
      }
      above = line;
      at += 1 + lineBytes;
    }
  }
  return straight;
}

/**
 * An interlaced PNG file of fewer than eight bits a sample, which the decoder does not read, as the same picture
 * without interlacing. @throws FormatError also where a checksum is wrong
 */
export function straightened(file: Uint8Array, width: number, height: number, bits: number): Uint8Array {
  const chunks = chunksOf(file);
  const pixels = chunks.filter(({ type }) => type === "IDAT");
  const lines = straightLines(unzlibSync(joined(pixels.map(({ data }) => data))), width, height, bits);
  const header = chunks[0]!.data.slice();
  header[INTERLACE_AT] = 0;
  return joined([
    file.subarray(0, SIGNATURE_BYTES),
    chunk("IHDR", header),
    ...chunks.slice(1).flatMap((one) => {
      if (one === pixels[0]) return [chunk("IDAT", zlibSync(lines, { level: 0 }))];
      return one.type === "IDAT" ? [] : [one.bytes];
    }),
  ]);
}
