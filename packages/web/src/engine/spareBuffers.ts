import type { Bytes, Milliseconds } from "@kinetocache/core";

// Nobody needs them any more when nothing was asked for so long.
const REST_MS: Milliseconds = 500;

/** Gives the memory back at once, where the browser can: its collector would come by seconds later. */
export function free(buffer: ArrayBuffer): void {
  (buffer as { transfer?: (bytes: Bytes) => ArrayBuffer }).transfer?.(0);
}

/** Calls `drop` once nothing was noted for a while. */
class Rest {
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(private readonly drop: () => void) {}

  note(): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(this.drop, REST_MS);
  }
}

/**
 * Buffers that serve one file after the other. With a new one for each, hundreds of megabytes would wait for the
 * browser's collector. Between two stretches of work none is kept.
 */
export class SpareBuffers {
  private readonly spares: ArrayBuffer[] = [];
  private readonly rest = new Rest(() => this.spares.splice(0).forEach(free));

  /** A buffer of at least `size` bytes. */
  take(size: Bytes): ArrayBuffer {
    const spare = this.spares.pop();
    if (spare && spare.byteLength >= size && spare.byteLength <= 2 * size) return spare;
    if (spare) free(spare);
    return new ArrayBuffer(size);
  }

  giveBack(buffer: ArrayBuffer): void {
    this.spares.push(buffer);
    this.rest.note();
  }
}

/** One buffer for what is needed for a moment, as large as it has to be. */
export class Scratch {
  private buffer = new ArrayBuffer(0);
  private readonly rest = new Rest(() => {
    free(this.buffer);
    this.buffer = new ArrayBuffer(0);
  });

  /** Valid until the next one is taken. */
  take(size: Bytes): Uint8Array<ArrayBuffer> {
    if (this.buffer.byteLength < size) {
      free(this.buffer);
      this.buffer = new ArrayBuffer(size);
    }
    this.rest.note();
    return new Uint8Array(this.buffer, 0, size);
  }
}
