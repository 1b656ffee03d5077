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
