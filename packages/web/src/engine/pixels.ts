import type { Bytes } from "@kinetocache/core";

/**
 * A buffer whose memory can be given back at once. The browser frees an ordinary buffer that came from a worker
 * only when its collector comes by, seconds later; one that can be resized gives its pages back when it shrinks.
 */
export function newPixels(bytes: Bytes): Uint8Array<ArrayBuffer> {
  return new Uint8Array(new ArrayBuffer(bytes, { maxByteLength: bytes }), 0, bytes);
}

export function copyPixels(source: Uint8Array): Uint8Array<ArrayBuffer> {
  const copy = newPixels(source.byteLength);
  copy.set(source);
  return copy;
}

/** Gives the memory back; nothing may read the pixels any more. */
export function releasePixels(pixels: Uint8Array<ArrayBuffer>): void {
  pixels.buffer.resize(0);
}

/** A spare buffer of that size, or a new one; a spare of another size is given back. */
export function reusePixels(bytes: Bytes, spare: Uint8Array<ArrayBuffer> | undefined): Uint8Array<ArrayBuffer> {
  if (spare?.byteLength === bytes) return spare;
  if (spare) releasePixels(spare);
  return newPixels(bytes);
}

const MOST_BYTES: Bytes = 64 * 2 ** 20;

/**
 * Some buffers of frames that were let go, for those that come next: memory that was in use is written several times
 * as fast as memory that the system first has to find. Only as many as are on their way at a time.
 */
export class SparePixels {
  private readonly spares: Uint8Array<ArrayBuffer>[] = [];

  /** @param most buffers that are kept */
  constructor(private readonly most: number) {}

  /** Nothing may read the pixels any more. */
  add(pixels: Uint8Array<ArrayBuffer>): void {
    const isFew = this.spares.length < this.most && (this.spares.length + 1) * pixels.byteLength <= MOST_BYTES;
    if (isFew && pixels.byteLength > 0) this.spares.push(pixels);
    else releasePixels(pixels);
  }

  take(): Uint8Array<ArrayBuffer> | undefined {
    return this.spares.pop();
  }

  /** Gives all of them back. */
  drop(): void {
    this.spares.splice(0).forEach(releasePixels);
  }
}
