import type { Bytes } from "@kinetocache/core";

/**
 * Buffers that serve one file after the other. With a new one for each, hundreds of megabytes would wait for the
 * browser's collector.
 */
export class SpareBuffers {
  private spares: ArrayBuffer[] = [];

  /** A buffer of at least `size` bytes. */
  take(size: Bytes): ArrayBuffer {
    const spare = this.spares.pop();
    const fits = spare && spare.byteLength >= size && spare.byteLength <= 2 * size;
    return fits ? spare : new ArrayBuffer(size);
  }

  giveBack(buffer: ArrayBuffer): void {
    this.spares.push(buffer);
  }
}
