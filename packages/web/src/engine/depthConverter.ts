import { encodeTable, type Depth } from "@kinetocache/core";
import type { Kernels } from "@kinetocache/kernels";

/** Pixels a value of a depth is made of, in bytes. */
const BYTES = { "8-bit": 4, half: 8, float: 16 } as const satisfies Record<Depth, number>;

// Pixels at a time: memory of WebAssembly never shrinks, and a piece stays in the cache.
const PIECE = 2 ** 16;

/** Brings pixels of one depth to a lower one. */
export class DepthConverter {
  private readonly encode: number;

  constructor(readonly kernels: Kernels) {
    const table = encodeTable();
    this.encode = kernels.arena.allocate(table.length);
    new Uint8Array(kernels.run.memory.buffer, this.encode, table.length).set(table);
  }

  /** @param target of the size that the pixels have at the depth `to` @throws RangeError when that is not lower */
  convert(target: Uint8Array | Uint8ClampedArray, to: Depth, pixels: Uint8Array, from: Depth): void {
    if (BYTES[to] >= BYTES[from]) throw new RangeError(`${from} cannot be brought down to ${to}`);
    const { run, arena } = this.kernels;
    const [wide, narrow] = [BYTES[from], BYTES[to]];
    const count = pixels.byteLength / wide;
    const source = arena.allocate(PIECE * wide);
    const result = arena.allocate(PIECE * narrow);
    try {
      for (let at = 0; at < count; at += PIECE) {
        const some = Math.min(PIECE, count - at);
        new Uint8Array(run.memory.buffer, source, some * wide).set(pixels.subarray(at * wide, (at + some) * wide));
        if (to === "half") run.toHalf(result, source, some);
        else if (from === "half") run.halfToSrgb8(result, source, some, this.encode);
        else run.toSrgb8(result, source, some, this.encode);
        target.set(new Uint8Array(run.memory.buffer, result, some * narrow), at * narrow);
      }
    } finally {
      arena.release(source);
      arena.release(result);
    }
  }

  /** A copy at a lower depth. */
  lowered(
    { pixels, depth }: { readonly pixels: Uint8Array; readonly depth: Depth },
    to: Depth,
  ): Uint8Array<ArrayBuffer> {
    const copy = new Uint8Array((pixels.byteLength / BYTES[depth]) * BYTES[to]);
    this.convert(copy, to, pixels, depth);
    return copy;
  }
}
