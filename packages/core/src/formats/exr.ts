import { FormatError, type Picture } from "./picture";

// OpenEXR 2.0 single-part scan-line files without compression ("Technical Introduction to OpenEXR" and
// "OpenEXR File Layout", openexr.com): channels in alphabetical order A, B, G, R, one line a block.

const MAGIC = 20000630;
const VERSION = 2;
const HALF = 1;
const FLOAT = 2;
const CHANNELS = ["A", "B", "G", "R"] as const;
// Where each of CHANNELS stands in an RGBA pixel.
const POSITION = [3, 2, 1, 0];

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

function header(width: number, height: number, type: number): Uint8Array {
  const box = (content: Writer) =>
    content
      .int(0)
      .int(0)
      .int(width - 1)
      .int(height - 1);
  return new Writer()
    .int(MAGIC)
    .int(VERSION)
    .attribute("channels", "chlist", (content) => {
      for (const name of CHANNELS) content.text(name).int(type).int(0).int(1).int(1);
      content.byte(0);
    })
    .attribute("compression", "compression", (content) => content.byte(0))
    .attribute("dataWindow", "box2i", box)
    .attribute("displayWindow", "box2i", box)
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

/** @throws RangeError when the picture is 8-bit */
export function writeExr({ width, height, depth, pixels }: Picture): Uint8Array {
  if (depth === "8-bit") throw new RangeError("OpenEXR holds half and float pictures here, not 8-bit");
  const size = depth === "half" ? 2 : 4;
  const head = header(width, height, depth === "half" ? HALF : FLOAT);
  const lineBytes = width * 4 * size;
  const offsets = head.length + height * 8;
  const file = new Uint8Array(offsets + height * (8 + lineBytes));
  const view = new DataView(file.buffer);
  file.set(head);
  const source = samples(pixels, size, width * height * 4);
  const line = size === 2 ? new Uint16Array(width * 4) : new Uint32Array(width * 4);
  for (let y = 0; y < height; y++) {
    const at = offsets + y * (8 + lineBytes);
    view.setBigUint64(head.length + y * 8, BigInt(at), true);
    view.setInt32(at, y, true);
    view.setInt32(at + 4, lineBytes, true);
    for (let channel = 0; channel < 4; channel++) {
      let from = y * width * 4 + POSITION[channel]!;
      const start = channel * width;
      for (let x = 0; x < width; x++, from += 4) line[start + x] = source[from]!;
    }
    file.set(new Uint8Array(line.buffer), at + 8);
  }
  return file;
}

/**
 * Reads what `writeExr` writes, and other uncompressed single-part scan-line files with exactly the channels
 * A, B, G, R of one type. @throws FormatError
 */
export function readExr(file: Uint8Array): Picture {
  const view = new DataView(file.buffer as ArrayBuffer, file.byteOffset, file.byteLength);
  if (file.length < 8 || view.getInt32(0, true) !== MAGIC)
    throw new FormatError("OpenEXR", "the magic number is missing", 0);
  const { attributes, end } = readAttributes(file, view);
  const compression = attributes.get("compression");
  if (!compression || file[compression.start] !== 0) throw new FormatError("OpenEXR", "expected no compression");
  const type = channelType(file, view, attributes.get("channels"));
  const window = attributes.get("dataWindow");
  if (!window || window.length !== 16) throw new FormatError("OpenEXR", "dataWindow is missing");
  const [left, top, right, bottom] = [0, 4, 8, 12].map((offset) => view.getInt32(window.start + offset, true)) as [
    number,
    number,
    number,
    number,
  ];
  const [width, height] = [right - left + 1, bottom - top + 1];
  if (width < 1 || height < 1 || width * height > 1 << 29)
    throw new FormatError("OpenEXR", "dataWindow is empty or too large", window.start);
  const size = type === HALF ? 2 : 4;
  const lineBytes = width * 4 * size;
  const expected = end + height * 8 + height * (8 + lineBytes);
  if (file.length < expected) throw new FormatError("OpenEXR", `ends early: ${expected} bytes expected`, file.length);
  const pixels = new Uint8Array(width * height * 4 * size);
  const target = samples(pixels, size, width * height * 4);
  for (let y = 0; y < height; y++) {
    const at = end + height * 8 + y * (8 + lineBytes);
    const row = view.getInt32(at, true) - top;
    if (row < 0 || row >= height) throw new FormatError("OpenEXR", `line ${row + top} is outside the picture`, at);
    const line = samples(file.subarray(at + 8, at + 8 + lineBytes), size, width * 4);
    for (let channel = 0; channel < 4; channel++) {
      let to = row * width * 4 + POSITION[channel]!;
      const start = channel * width;
      for (let x = 0; x < width; x++, to += 4) target[to] = line[start + x]!;
    }
  }
  return { width, height, depth: type === HALF ? "half" : "float", pixels };
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

function channelType(file: Uint8Array, view: DataView, list: Attribute | undefined): number {
  if (!list) throw new FormatError("OpenEXR", "the channel list is missing");
  const names: string[] = [];
  const types = new Set<number>();
  for (let at = list.start; file[at] !== 0; at += 16) {
    const name = readText(file, at);
    at += name.length + 1;
    names.push(name);
    types.add(view.getInt32(at, true));
  }
  const [type] = types;
  if (names.join() !== CHANNELS.join() || types.size !== 1 || (type !== HALF && type !== FLOAT)) {
    throw new FormatError("OpenEXR", "expected the channels A, B, G, R, all half or all float", list.start);
  }
  return type;
}
