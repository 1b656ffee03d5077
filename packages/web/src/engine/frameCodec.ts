import {
  formatFor,
  packsFaster,
  pamHeader,
  readFrame,
  storedDepth,
  writeFrame,
  type Bytes,
  type FrameFormat,
  type Milliseconds,
  type Picture,
} from "@kinetocache/core";
import type { DepthConverter } from "./depthConverter";
import type { HeldPicture, Target } from "./frameStorage";
import { reusePixels } from "./pixels";
import { Scratch } from "./spareBuffers";

/** A frame's file, in one piece or more. */
export interface Encoded {
  readonly format: FrameFormat;
  readonly parts: readonly Uint8Array[];
  readonly bytes: Bytes;
}

// How much the last measurement counts.
const WEIGHT = 0.3;
// First byte of an OpenEXR file, whose channels are put in order one by one.
const EXR_START = 0x76;

/** Frames to files and back, with what unpacking takes measured on the way. */
export class FrameCodec {
  /** Milliseconds that unpacking takes for a byte of packed file, as the last ones did. */
  private unpackMsAByte: number | undefined;
  private readonly scratch = new Scratch();

  constructor(private readonly converter: DepthConverter) {}

  /** @param wayRate bytes a second of the way back; undefined while unknown, and automatic packing stores plain */
  encode(picture: HeldPicture, { packing, deepest }: Pick<Target, "packing" | "deepest">, wayRate?: number): Encoded {
    const lowered = this.lowered(picture, deepest);
    if (packing === "packed" || (packing === "automatic" && wayRate !== undefined)) {
      const file = writeFrame({ ...lowered, pixels: this.fixed(lowered.pixels) }, true, this.converter.kernels);
      const plainBytes = lowered.pixels.byteLength;
      const isFaster = () => packsFaster(plainBytes, file.byteLength, wayRate!, this.unpackMs(file));
      if (packing === "packed" || isFaster())
        return { format: formatFor(lowered.depth, true), parts: [file], bytes: file.byteLength };
    }
    if (lowered.depth === "8-bit") return plain(lowered);
    return plain({ ...lowered, pixels: this.fixed(lowered.pixels) });
  }

  /** The same pixels in a buffer that cannot be resized, until the next frame comes. */
  private fixed(pixels: Uint8Array): Uint8Array {
    if (!(pixels.buffer as ArrayBuffer).resizable) return pixels;
    const copy = this.scratch.take(pixels.byteLength);
    copy.set(pixels);
    return copy;
  }

  /** @param spare a buffer that may be used for the pixels @throws FormatError */
  decode(file: Uint8Array, spare?: Uint8Array<ArrayBuffer>): HeldPicture {
    const start = performance.now();
    const isCopied = file[0] !== EXR_START;
    const target = (bytes: Bytes) => reusePixels(bytes, spare);
    // Loops over a buffer that can be resized take several times as long as over one that cannot.
    const picture = readFrame(file, isCopied ? target : (bytes) => this.scratch.take(bytes), this.converter.kernels);
    let pixels = picture.pixels as Uint8Array<ArrayBuffer>;
    if (!isCopied) {
      pixels = target(pixels.byteLength);
      pixels.set(picture.pixels);
    }
    this.noteUnpacking(file.byteLength, pixels.byteLength, performance.now() - start);
    return { ...picture, pixels };
  }

  private lowered(picture: HeldPicture, deepest: Target["deepest"]): Picture {
    const depth = storedDepth(picture.depth, deepest);
    return depth === picture.depth ? picture : { ...picture, depth, pixels: this.converter.lowered(picture, depth) };
  }

  private unpackMs(file: Uint8Array): Milliseconds {
    if (this.unpackMsAByte === undefined) this.decode(file);
    return (this.unpackMsAByte ?? 0) * file.byteLength;
  }

  private noteUnpacking(fileBytes: Bytes, pixelBytes: Bytes, ms: Milliseconds): void {
    // A plain file is its pixels and a header.
    if (fileBytes >= pixelBytes) return;
    const now = ms / fileBytes;
    this.unpackMsAByte = this.unpackMsAByte === undefined ? now : (1 - WEIGHT) * this.unpackMsAByte + WEIGHT * now;
  }
}

/** 8-bit is a header and the pixels as they are; what is deeper is put in another order. */
function plain(picture: Picture): Encoded {
  const { width, height, depth, pixels } = picture;
  const format = formatFor(depth, false);
  if (format !== "pam") {
    const file = writeFrame(picture, false);
    return { format, parts: [file], bytes: file.byteLength };
  }
  const header = pamHeader(width, height);
  return { format, parts: [header, pixels], bytes: header.byteLength + pixels.byteLength };
}
