import type { Kernels } from "@kinetocache/kernels";
import { FormatError, plainPixels, type NewPixels, type Picture } from "./picture";

// QOI, "The Quite OK Image Format" (D. Szablewski, specification 1.0, 2022): 8-bit RGBA, lossless. With kernels at
// hand it is packed and unpacked by them, several times as fast; without, as below.

const HEADER = 14;
const END = [0, 0, 0, 0, 0, 0, 0, 1];
const LONGEST_RUN = 62;

function slot(pixel: number): number {
  return ((pixel & 255) * 3 + ((pixel >> 8) & 255) * 5 + ((pixel >> 16) & 255) * 7 + (pixel >>> 24) * 11) & 63;
}

function writeHeader(out: Uint8Array, width: number, height: number): void {
  const view = new DataView(out.buffer, out.byteOffset);
  out.set([0x71, 0x6f, 0x69, 0x66]);
  view.setUint32(4, width);
  view.setUint32(8, height);
  out[12] = 4;
}

/** @throws RangeError when the picture is not 8-bit */
export function writeQoi(picture: Picture, kernels?: Kernels): Uint8Array {
  const { width, height, depth, pixels } = picture;
  if (depth !== "8-bit") throw new RangeError(`QOI holds 8-bit pictures, not ${depth}`);
  if (kernels) return pack(picture, kernels);
  const count = width * height;
  const out = new Uint8Array(HEADER + count * 5 + END.length);
  writeHeader(out, width, height);
  const source = words(pixels, count);
  const seen = new Int32Array(64);
  let previous = 0xff000000 | 0;
  let run = 0;
  let at = HEADER;
  for (let i = 0; i < count; i++) {
    const pixel = source[i]! | 0;
    if (pixel === previous) {
      if (++run === LONGEST_RUN || i === count - 1) {
        out[at++] = 0xc0 | (run - 1);
        run = 0;
      }
      continue;
    }
    if (run > 0) {
      out[at++] = 0xc0 | (run - 1);
      run = 0;
    }
    const index = slot(pixel);
    if (seen[index] === pixel) {
      out[at++] = index;
      previous = pixel;
      continue;
    }
    seen[index] = pixel;
    at = writeDifference(out, at, pixel, previous);
    previous = pixel;
  }
  out.set(END, at);
  return out.slice(0, at + END.length);
}

function writeDifference(out: Uint8Array, at: number, pixel: number, previous: number): number {
  if (pixel >>> 24 !== previous >>> 24) {
    out[at] = 0xff;
    out[at + 1] = pixel & 255;
    out[at + 2] = (pixel >> 8) & 255;
    out[at + 3] = (pixel >> 16) & 255;
    out[at + 4] = pixel >>> 24;
    return at + 5;
  }
  // Differences wrap around at 8 bits, sign-extended.
  const dr = (((pixel & 255) - (previous & 255)) << 24) >> 24;
  const dg = ((((pixel >> 8) & 255) - ((previous >> 8) & 255)) << 24) >> 24;
  const db = ((((pixel >> 16) & 255) - ((previous >> 16) & 255)) << 24) >> 24;
  if (dr >= -2 && dr <= 1 && dg >= -2 && dg <= 1 && db >= -2 && db <= 1) {
    out[at] = 0x40 | ((dr + 2) << 4) | ((dg + 2) << 2) | (db + 2);
    return at + 1;
  }
  const rg = dr - dg;
  const bg = db - dg;
  if (dg >= -32 && dg <= 31 && rg >= -8 && rg <= 7 && bg >= -8 && bg <= 7) {
    out[at] = 0x80 | (dg + 32);
    out[at + 1] = ((rg + 8) << 4) | (bg + 8);
    return at + 2;
  }
  out[at] = 0xfe;
  out[at + 1] = pixel & 255;
  out[at + 2] = (pixel >> 8) & 255;
  out[at + 3] = (pixel >> 16) & 255;
  return at + 4;
}

/** Pixels as 32-bit words, alpha highest; a view where the alignment allows. */
function words(pixels: Uint8Array, count: number): Uint32Array {
  const aligned = pixels.byteOffset % 4 === 0 ? pixels : pixels.slice();
  return new Uint32Array(aligned.buffer as ArrayBuffer, aligned.byteOffset, count);
}

function pack({ width, height, pixels }: Picture, { run, arena }: Kernels): Uint8Array {
  const count = width * height;
  const source = arena.allocate(pixels.length);
  const target = arena.allocate(count * 5);
  try {
    new Uint8Array(run.memory.buffer, source, pixels.length).set(pixels);
    const length = run.qoiPack(target, source, count);
    const out = new Uint8Array(HEADER + length + END.length);
    writeHeader(out, width, height);
    out.set(new Uint8Array(run.memory.buffer, target, length), HEADER);
    out.set(END, HEADER + length);
    return out;
  } finally {
    arena.release(source);
    arena.release(target);
  }
}

function unpack(file: Uint8Array, pixels: Uint8Array, { run, arena }: Kernels): void {
  const chunks = file.subarray(HEADER);
  const source = arena.allocate(chunks.length);
  const target = arena.allocate(pixels.length);
  try {
    new Uint8Array(run.memory.buffer, source, chunks.length).set(chunks);
    const count = pixels.length / 4;
    const found = run.qoiUnpack(target, source, chunks.length - END.length, count);
    if (found < count) throw new FormatError("QOI", `ends early: pixel ${found} of ${count}`, file.length);
    pixels.set(new Uint8Array(run.memory.buffer, target, pixels.length));
  } finally {
    arena.release(source);
    arena.release(target);
  }
}

/** @throws FormatError */
export function readQoi(file: Uint8Array, newPixels: NewPixels = plainPixels, kernels?: Kernels): Picture {
  if (file.length < HEADER + END.length || String.fromCharCode(...file.subarray(0, 4)) !== "qoif") {
    throw new FormatError("QOI", "does not start with qoif, or ends early", 0);
  }
  const view = new DataView(file.buffer as ArrayBuffer, file.byteOffset, file.byteLength);
  const [width, height] = [view.getUint32(4), view.getUint32(8)];
  const count = width * height;
  if (count === 0 || count > 1 << 29) throw new FormatError("QOI", `cannot be ${width} × ${height} pixels`, 4);
  // A byte stands for a run of at most 62 pixels.
  if (count > 62 * (file.length - HEADER - END.length))
    throw new FormatError("QOI", `ends early: ${file.length} bytes cannot hold ${width} × ${height} pixels`, 4);
  const pixels = newPixels(count * 4);
  if (kernels) {
    unpack(file, pixels, kernels);
    return { width, height, depth: "8-bit", pixels };
  }
  const out = words(pixels, count);
  const seen = new Uint32Array(64);
  const end = file.length - END.length;
  let pixel = 0xff000000;
  let at = HEADER;
  for (let i = 0; i < count;) {
    if (at >= end) throw new FormatError("QOI", `ends early: pixel ${i} of ${count}`, at);
    const tag = file[at++]!;
    if (tag >= 0xc0 && tag < 0xfe) {
      const stop = Math.min(count, i + (tag & 63) + 1);
      // The format's table holds every pixel that was written, runs included.
      seen[slot(pixel)] = pixel;
      out.fill(pixel, i, stop);
      i = stop;
      continue;
    }
    if (tag === 0xff) {
      pixel = (file[at]! | (file[at + 1]! << 8) | (file[at + 2]! << 16) | (file[at + 3]! << 24)) >>> 0;
      at += 4;
    } else if (tag === 0xfe) {
      pixel = (file[at]! | (file[at + 1]! << 8) | (file[at + 2]! << 16) | (pixel & 0xff000000)) >>> 0;
      at += 3;
    } else if (tag < 0x40) {
      pixel = seen[tag]!;
    } else {
      let dr: number, dg: number, db: number;
      if (tag < 0x80) {
        dr = ((tag >> 4) & 3) - 2;
        dg = ((tag >> 2) & 3) - 2;
        db = (tag & 3) - 2;
      } else {
        const second = file[at++]!;
        dg = (tag & 63) - 32;
        dr = dg + (second >> 4) - 8;
        db = dg + (second & 15) - 8;
      }
      const r = ((pixel & 255) + dr) & 255;
      const g = (((pixel >> 8) & 255) + dg) & 255;
      const b = (((pixel >> 16) & 255) + db) & 255;
      pixel = ((pixel & 0xff000000) | (b << 16) | (g << 8) | r) >>> 0;
    }
    seen[slot(pixel)] = pixel;
    out[i++] = pixel;
  }
  return { width, height, depth: "8-bit", pixels };
}
