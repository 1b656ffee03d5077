import { crc32, deflateSync } from "node:zlib";
import {
  packedExr,
  readForeignFrame,
  readFrame,
  readPng,
  redepth,
  writeExr,
  writePng,
  writeQoi,
} from "@kinetocache/core";

export { digestOf } from "./digest";

// What takes a processor for long runs here, in threads of its own: see `Workers`.

/** A PNG file as a frame of its depth, in a format that is read fast. @throws Error that says what is wrong with it */
export function pngToFrame(file: Uint8Array): Uint8Array {
  const picture = readPng(file);
  return picture.depth === "8-bit" ? writeQoi(picture) : writeExr(picture, pack);
}

export interface StoredPicture {
  /** A stored frame, and its CRC-32. */
  readonly content: Uint8Array;
  readonly crc: number;
  readonly format: "png" | "exr";
}

export interface ExportedFile {
  readonly content: Uint8Array;
  readonly crc: number;
}

const EXR_START = 0x76;

/** A stored frame as a file of another format; undefined when it is not what was stored. */
export function exportedFrame({ content, crc, format }: StoredPicture): ExportedFile | undefined {
  if (crc32(content) !== crc) return undefined;
  const file = asFormat(content, format);
  return { content: file, crc: crc32(file) };
}

function asFormat(content: Uint8Array, format: StoredPicture["format"]): Uint8Array {
  if (format === "exr" && content[0] === EXR_START) return packedExr(content, pack);
  const picture = readFrame(content);
  if (format === "png") return writePng(redepth(picture, "8-bit"));
  return writeExr(redepth(picture, picture.depth === "float" ? "float" : "half"), pack);
}

/** Packs bytes natively, which is quicker than in script. The fastest level: higher ones gain a few per cent. */
function pack(bytes: Uint8Array): Uint8Array {
  return deflateSync(bytes, { level: 1 });
}

/** Whether a stored frame can be read. */
export function isPicture(content: Uint8Array): boolean {
  try {
    const { width, height } = readForeignFrame(content);
    return width > 0 && height > 0;
  } catch {
    return false;
  }
}
