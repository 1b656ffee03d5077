import adler32 from "adler-32";
import { unzlibSync, zlibSync } from "fflate";
import { FormatError, plainPixels, type NewPixels, type Picture } from "./picture";

// OpenEXR 2.0 single-part scan-line files ("Technical Introduction to OpenEXR" and "OpenEXR File Layout",
// openexr.com), plain or with ZIP: channels in alphabetical order A, B, G, R. What is transparent all around lies
// outside the data window and is not stored.

const MAGIC = 20000630;
const VERSION = 2;
const HALF = 1;
const FLOAT = 2;
const CHANNELS = ["A", "B", "G", "R"] as const;
// Where each of CHANNELS stands in an RGBA pixel.
const POSITION = [3, 2, 1, 0];

/** Lines that are stored as one block, by the number of the compression. */
const BLOCK_LINES: Readonly<Record<number, number>> = { 0: 1, 2: 1, 3: 16 };
const PLAIN = 0;
const ZIP = 3;
// Bits of the version field (OpenEXR File Layout).
const OTHER_KINDS = [
  [0x200, "tiled"],
  [0x800, "deep"],
  [0x1000, "multi-part"],
] as const;
// A 16384 × 4096 picture at float.
const LARGEST = 2 ** 30;
// What deflate makes of one byte, at the most (RFC 1951: 258 bytes by two bits).
const MOST_FROM_A_BYTE = 1032;
// The fastest level: higher ones take several times as long for a few per cent.
const ZIP_LEVEL = 1;

/** Pixels of a picture: `[left, right)` × `[top, bottom)`. */
interface Box {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

class Writer {
  private readonly parts: number[] = [];

  text(value: string): this {
    for (const character of value) this.parts.push(character.charCodeAt(0));
    this.parts.push(0);
    return this;
  }

  int(value: number): this {
    this.parts.push(value & 255, (value >> 8) & 255, (value >> 16) & 255, (value >> 24) & 255);
    return this;
  }

  float(value: number): this {
    return this.int(new Int32Array(new Float32Array([value]).buffer)[0]!);
  }

  byte(value: number): this {
    this.parts.push(value);
    return this;
  }

  attribute(name: string, type: string, write: (content: Writer) => void): this {
    const content = new Writer();
    write(content);
    this.text(name).text(type).int(content.parts.length);
    for (const byte of content.parts) this.parts.push(byte);
    return this;
  }

  bytes(): Uint8Array {
    return Uint8Array.from(this.parts);
  }
}

function header({ width, height }: Picture, window: Box, type: number, compression: number): Uint8Array {
  const box =
    ({ left, top, right, bottom }: Box) =>
    (content: Writer) =>
      content
        .int(left)
        .int(top)
        .int(right - 1)
        .int(bottom - 1);
  return new Writer()
    .int(MAGIC)
    .int(VERSION)
    .attribute("channels", "chlist", (content) => {
      for (const name of CHANNELS) content.text(name).int(type).int(0).int(1).int(1);
      content.byte(0);
    })
    .attribute("compression", "compression", (content) => content.byte(compression))
    .attribute("dataWindow", "box2i", box(window))
    .attribute("displayWindow", "box2i", box({ left: 0, top: 0, right: width, bottom: height }))
    .attribute("lineOrder", "lineOrder", (content) => content.byte(0))
    .attribute("pixelAspectRatio", "float", (content) => content.float(1))
    .attribute("screenWindowCenter", "v2f", (content) => content.float(0).float(0))
    .attribute("screenWindowWidth", "float", (content) => content.float(1))
    .byte(0)
    .bytes();
}

type Samples = Uint16Array | Uint32Array;

/** Samples as words of their own size; a view where the alignment allows. */
function samples(bytes: Uint8Array, size: 2 | 4, count: number): Samples {
  const aligned = bytes.byteOffset % size === 0 ? bytes : bytes.slice();
  const buffer = aligned.buffer as ArrayBuffer;
  return size === 2
    ? new Uint16Array(buffer, aligned.byteOffset, count)
    : new Uint32Array(buffer, aligned.byteOffset, count);
}

/** The smallest box with everything that is not zero; one pixel where all is. */
function dataWindow(source: Samples, width: number, height: number): Box {
  const isEmpty = (y: number) => firstFull(source, y * width, width) === width;
  let [top, bottom] = [0, height];
  while (bottom > 1 && isEmpty(bottom - 1)) bottom--;
  while (top < bottom - 1 && isEmpty(top)) top++;
  let [left, right] = [width - 1, 1];
  for (let y = top; y < bottom; y++) {
    left = Math.min(left, firstFull(source, y * width, left));
    right = Math.max(right, lastFull(source, y * width, right, width) + 1);
  }
  return { left: Math.min(left, right - 1), top, right, bottom };
}

function isFull(source: Samples, pixel: number): boolean {
  const at = pixel * 4;
  return source[at] !== 0 || source[at + 1] !== 0 || source[at + 2] !== 0 || source[at + 3] !== 0;
}

/** First pixel of a line that is not zero, of those before `end`; `end` where there is none. */
function firstFull(source: Samples, line: number, end: number): number {
  let x = 0;
  while (x < end && !isFull(source, line + x)) x++;
  return x;
}

/** Last pixel of a line that is not zero, of those from `start` on; the one before where there is none. */
function lastFull(source: Samples, line: number, start: number, end: number): number {
  let x = end - 1;
  while (x >= start && !isFull(source, line + x)) x--;
  return x;
}

/** Even bytes, then odd ones, each as its difference from the one before; undone by `gather`. */
function scatter(block: Uint8Array, into: Uint8Array): void {
  const half = (block.length + 1) >> 1;
  const pairs = block.length >> 1;
  let [even, odd] = [0, 0];
  for (let i = 0, at = 0; i < pairs; i++, at += 2) {
    const [nextEven, nextOdd] = [block[at]!, block[at + 1]!];
    into[i] = nextEven - even + 128;
    into[half + i] = nextOdd - odd + 128;
    even = nextEven;
    odd = nextOdd;
  }
  if (half > pairs) {
    const last = block[block.length - 1]!;
    into[pairs] = last - even + 128;
    even = last;
  }
  into[0] = block[0]!;
  if (pairs > 0) into[half] = block[1]! - even + 128;
}

function gather(scattered: Uint8Array): Uint8Array {
  for (let i = 1; i < scattered.length; i++) scattered[i] = scattered[i - 1]! + scattered[i]! - 128;
  const block = new Uint8Array(scattered.length);
  const half = (block.length + 1) >> 1;
  for (let i = 0, at = 0; at < block.length; i++) {
    block[at++] = scattered[i]!;
    if (at < block.length) block[at++] = scattered[half + i]!;
  }
  return block;
}

/** Packs bytes as zlib does (RFC 1950). */
export type Pack = (bytes: Uint8Array) => Uint8Array;

/** Where nothing quicker is to be had. */
export const PACK: Pack = (bytes) => zlibSync(bytes, { level: ZIP_LEVEL });

/** @param pack packs with ZIP, which loses nothing @throws RangeError when the picture is 8-bit */
export function writeExr(picture: Picture, pack?: Pack): Uint8Array {
  const { width, height, depth, pixels } = picture;
  if (depth === "8-bit") throw new RangeError("OpenEXR holds half and float pictures here, not 8-bit");
  const size = depth === "half" ? 2 : 4;
  const source = samples(pixels, size, width * height * 4);
  const window = dataWindow(source, width, height);
  const compression = pack ? ZIP : PLAIN;
  const head = header(picture, window, size === 2 ? HALF : FLOAT, compression);
  const lines = window.bottom - window.top;
  const columns = window.right - window.left;
  const lineBytes = columns * 4 * size;
  const blocks = Math.ceil(lines / BLOCK_LINES[compression]!);
  const offsets = head.length + blocks * 8;
  const file = new Uint8Array(offsets + blocks * 8 + lines * lineBytes);
  const view = new DataView(file.buffer);
  file.set(head);
  const plain = new Uint8Array(BLOCK_LINES[compression]! * lineBytes);
  const words = samples(plain, size, plain.length / size);
  const scattered = new Uint8Array(plain.length);
  let at = offsets;
  for (let block = 0; block < blocks; block++) {
    const first = window.top + block * BLOCK_LINES[compression]!;
    const count = Math.min(BLOCK_LINES[compression]!, window.bottom - first);
    for (let line = 0; line < count; line++)
      for (let channel = 0; channel < 4; channel++) {
        let from = ((first + line) * width + window.left) * 4 + POSITION[channel]!;
        const start = (line * 4 + channel) * columns;
        for (let x = 0; x < columns; x++, from += 4) words[start + x] = source[from]!;
      }
    const together = plain.subarray(0, count * lineBytes);
    const content = pack ? packedBlock(together, scattered, pack) : together;
    view.setBigUint64(head.length + block * 8, BigInt(at), true);
    view.setInt32(at, first, true);
    view.setInt32(at + 4, content.length, true);
    file.set(content, at + 8);
    at += 8 + content.length;
  }
  return file.subarray(0, at);
}

/**
 * Reads what `writeExr` writes, and other single-part scan-line files, plain or with ZIP, with the channels
 * A, B, G, R, or B, G, R for an opaque picture, all of one type. The picture is the display window.
 * @param looksAtSums whether the checksums of what is packed are looked at: that takes about a tenth of a second for a
 * full HD frame, and frames of our own have one of the whole file, which is looked at
 * @throws FormatError
 */
export function readExr(file: Uint8Array, newPixels: NewPixels = plainPixels, looksAtSums = false): Picture {
  const view = new DataView(file.buffer as ArrayBuffer, file.byteOffset, file.byteLength);
  if (file.length < 8 || view.getInt32(0, true) !== MAGIC)
    throw new FormatError("OpenEXR", "the magic number is missing", 0);
  checkKind(view.getUint32(4, true));
  const { attributes, end } = readAttributes(file, view);
  const compression = file[attributes.get("compression")?.start ?? -1] ?? -1;
  const linesABlock = BLOCK_LINES[compression];
  if (linesABlock === undefined) throw new FormatError("OpenEXR", "expected no compression, or ZIP");
  const { type, channels } = channelsOf(file, view, attributes.get("channels"));
  const window = readBox(view, "dataWindow", attributes);
  const display = readBox(view, "displayWindow", attributes);
  const [width, height] = [display.right - display.left, display.bottom - display.top];
  const size = type === HALF ? 2 : 4;
  const columns = window.right - window.left;
  const lineBytes = columns * channels * size;
  if (width * height * 4 * size > LARGEST || lineBytes * (window.bottom - window.top) > LARGEST)
    throw new FormatError("OpenEXR", `a picture of ${width} × ${height} pixels is too large`);
  const pixels = newPixels(width * height * 4 * size);
  const target = samples(pixels, size, width * height * 4);
  // What lies outside the data window is transparent.
  if (!covers(window, display)) target.fill(0);
  const opaque = type === HALF ? 0x3c00 : 0x3f800000;
  const seen = new Set<number>();
  const blocks = Math.ceil((window.bottom - window.top) / linesABlock);
  for (let block = 0; block < blocks; block++) {
    if (end + block * 8 + 8 > file.length) throw new FormatError("OpenEXR", "ends early: the table of lines", end);
    const at = Number(view.getBigUint64(end + block * 8, true));
    if (at + 8 > file.length) throw new FormatError("OpenEXR", "ends early: a block of lines is missing", file.length);
    const first = view.getInt32(at, true);
    if (first < window.top || first >= window.bottom)
      throw new FormatError("OpenEXR", `line ${first} is outside the picture`, at);
    // As many blocks as there are, none of them twice, are all of them.
    if ((first - window.top) % linesABlock !== 0 || seen.has(first))
      throw new FormatError("OpenEXR", `a block begins at line ${first}, or is named twice`, at);
    seen.add(first);
    const lines = Math.min(linesABlock, window.bottom - first);
    const length = view.getInt32(at + 4, true);
    const content = readBlock(file, at, length, lines * lineBytes, compression !== PLAIN, looksAtSums);
    const words = samples(content, size, lines * columns * channels);
    for (let line = 0; line < lines; line++) {
      const y = first + line - display.top;
      if (y < 0 || y >= height) continue;
      const from = Math.max(0, display.left - window.left);
      const to = Math.min(columns, display.right - window.left);
      for (let channel = 0; channel < channels; channel++) {
        let into = (y * width + window.left + from - display.left) * 4 + POSITION[4 - channels + channel]!;
        const start = (line * channels + channel) * columns;
        for (let x = from; x < to; x++, into += 4) target[into] = words[start + x]!;
      }
      if (channels === 4) continue;
      const start = (y * width + window.left + from - display.left) * 4 + 3;
      for (let x = from, into = start; x < to; x++, into += 4) target[into] = opaque;
    }
  }
  return { width, height, depth: type === HALF ? "half" : "float", pixels };
}

/**
 * A file with ZIP of one that is plain, with the same pixels; one that has it is left as it is. Lines lie in a block of
 * either as they are, so that no picture is made of them. @throws FormatError
 */
export function packedExr(file: Uint8Array, pack: Pack): Uint8Array {
  const view = new DataView(file.buffer as ArrayBuffer, file.byteOffset, file.byteLength);
  if (file.length < 8 || view.getInt32(0, true) !== MAGIC)
    throw new FormatError("OpenEXR", "the magic number is missing", 0);
  checkKind(view.getUint32(4, true));
  const { attributes, end } = readAttributes(file, view);
  const compressionAt = attributes.get("compression")?.start ?? -1;
  if (file[compressionAt] !== PLAIN) return file;
  const { type, channels } = channelsOf(file, view, attributes.get("channels"));
  const { left, top, right, bottom } = readBox(view, "dataWindow", attributes);
  const lineBytes = (right - left) * channels * (type === HALF ? 2 : 4);
  const blocks = Math.ceil((bottom - top) / BLOCK_LINES[ZIP]!);
  // A line of a plain file has its number and its length beside it: what does not get smaller fits too.
  const packed = new Uint8Array(end + blocks * 16 + (bottom - top) * lineBytes);
  const into = new DataView(packed.buffer);
  packed.set(file.subarray(0, end));
  packed[compressionAt] = ZIP;
  const plain = new Uint8Array(BLOCK_LINES[ZIP]! * lineBytes);
  const scattered = new Uint8Array(plain.length);
  let at = end + blocks * 8;
  for (let block = 0; block < blocks; block++) {
    const first = top + block * BLOCK_LINES[ZIP]!;
    const lines = Math.min(BLOCK_LINES[ZIP]!, bottom - first);
    for (let line = 0; line < lines; line++) {
      const entry = end + (first - top + line) * 8;
      const from = entry + 8 <= file.length ? Number(view.getBigUint64(entry, true)) : Infinity;
      if (from + 8 + lineBytes > file.length) throw new FormatError("OpenEXR", "ends early: a line is missing", entry);
      if (view.getInt32(from, true) !== first + line || view.getInt32(from + 4, true) !== lineBytes)
        throw new FormatError("OpenEXR", `line ${first + line} is not where it should be`, from);
      plain.set(file.subarray(from + 8, from + 8 + lineBytes), line * lineBytes);
    }
    const content = packedBlock(plain.subarray(0, lines * lineBytes), scattered, pack);
    into.setBigUint64(end + block * 8, BigInt(at), true);
    into.setInt32(at, first, true);
    into.setInt32(at + 4, content.length, true);
    packed.set(content, at + 8);
    at += 8 + content.length;
  }
  return packed.subarray(0, at);
}

/** Lines as a block with ZIP. What does not get smaller is stored as it is; its length says so. */
function packedBlock(plain: Uint8Array, scattered: Uint8Array, pack: Pack): Uint8Array {
  const into = scattered.subarray(0, plain.length);
  scatter(plain, into);
  const small = pack(into);
  return small.length < plain.length ? small : plain;
}

function readBlock(
  file: Uint8Array,
  at: number,
  length: number,
  plainBytes: number,
  packed: boolean,
  looksAtSums: boolean,
): Uint8Array {
  if (length < 0 || length > plainBytes || at + 8 + length > file.length)
    throw new FormatError("OpenEXR", "ends early, or a block is too long", at);
  const content = file.subarray(at + 8, at + 8 + length);
  if (length === plainBytes) return content;
  if (packed && length * MOST_FROM_A_BYTE < plainBytes)
    throw new FormatError("OpenEXR", `a block of ${length} bytes cannot hold ${plainBytes}`, at);
  if (!packed) throw new FormatError("OpenEXR", `a line has ${length} bytes instead of ${plainBytes}`, at);
  let scattered: Uint8Array;
  try {
    scattered = unzlibSync(content, { out: new Uint8Array(plainBytes) });
  } catch (error) {
    throw new FormatError("OpenEXR", `a block cannot be unpacked (${(error as Error).message})`, at);
  }
  if (scattered.length !== plainBytes) throw new FormatError("OpenEXR", "a block unpacks to the wrong length", at);
  if (looksAtSums && adler32.buf(scattered) >>> 0 !== sumOf(content))
    throw new FormatError("OpenEXR", "the checksum of a block is wrong", at);
  return gather(scattered);
}

/** The sum at the end of a zlib stream (RFC 1950). */
function sumOf(packed: Uint8Array): number {
  const end = packed.subarray(-4);
  return new DataView(end.buffer, end.byteOffset, end.byteLength).getUint32(0);
}

/** @throws FormatError that names what is not read */
function checkKind(version: number): void {
  const kind = OTHER_KINDS.find(([flag]) => (version & flag) !== 0);
  if (kind) throw new FormatError("OpenEXR", `${kind[1]} files are not read`, 5);
  if ((version & 255) !== VERSION) throw new FormatError("OpenEXR", `version ${version & 255} is not known`, 4);
}

function covers(window: Box, display: Box): boolean {
  const isWide = window.left <= display.left && window.right >= display.right;
  return isWide && window.top <= display.top && window.bottom >= display.bottom;
}

function readBox(view: DataView, name: string, attributes: ReadonlyMap<string, Attribute>): Box {
  const found = attributes.get(name);
  if (found?.length !== 16) throw new FormatError("OpenEXR", `${name} is missing`);
  const at = (offset: number) => view.getInt32(found.start + offset, true);
  const box = { left: at(0), top: at(4), right: at(8) + 1, bottom: at(12) + 1 };
  const [width, height] = [box.right - box.left, box.bottom - box.top];
  if (width < 1 || height < 1 || width * height > 1 << 29)
    throw new FormatError("OpenEXR", `${name} is empty or too large`, found.start);
  return box;
}

interface Attribute {
  readonly start: number;
  readonly length: number;
}

function readText(file: Uint8Array, at: number): string {
  const end = file.indexOf(0, at);
  if (end < 0 || end - at > 255) throw new FormatError("OpenEXR", "a name in the header does not end", at);
  return String.fromCharCode(...file.subarray(at, end));
}

function readAttributes(file: Uint8Array, view: DataView): { attributes: Map<string, Attribute>; end: number } {
  const attributes = new Map<string, Attribute>();
  let at = 8;
  for (;;) {
    const name = readText(file, at);
    at += name.length + 1;
    if (name === "") return { attributes, end: at };
    at += readText(file, at).length + 1;
    if (at + 4 > file.length) throw new FormatError("OpenEXR", "the header ends early", at);
    const length = view.getInt32(at, true);
    if (length < 0 || at + 4 + length > file.length)
      throw new FormatError("OpenEXR", `attribute ${name} ends early`, at);
    attributes.set(name, { start: at + 4, length });
    at += 4 + length;
  }
}

function channelsOf(
  file: Uint8Array,
  view: DataView,
  list: Attribute | undefined,
): { readonly type: number; readonly channels: number } {
  if (!list) throw new FormatError("OpenEXR", "the channel list is missing");
  const names: string[] = [];
  const types = new Set<number>();
  for (let at = list.start; file[at] !== 0; at += 16) {
    const name = readText(file, at);
    at += name.length + 1;
    if (at + 16 > file.length) throw new FormatError("OpenEXR", "the channel list ends early", at);
    names.push(name);
    types.add(view.getInt32(at, true));
  }
  const [type] = types;
  const isKnown = names.join() === CHANNELS.join() || names.join() === CHANNELS.slice(1).join();
  if (!isKnown || types.size !== 1 || (type !== HALF && type !== FLOAT)) {
    throw new FormatError("OpenEXR", "expected the channels A, B, G, R or B, G, R, all half or all float", list.start);
  }
  return { type, channels: names.length };
}
