import type { Kernels } from "@kinetocache/kernels";

/** Repeatable numbers in [0, 1) (mulberry32). */
export function randoms(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Premultiplied pixels with clear, opaque and half-covered ones among them, some brighter than 1. */
export function randomPixels(width: number, height: number, seed = 1): Float32Array {
  const next = randoms(seed);
  const data = new Float32Array(width * height * 4);
  for (let i = 0; i < data.length; i += 4) {
    const kind = next();
    const alpha = kind < 0.2 ? 0 : kind < 0.5 ? 1 : next();
    for (let c = 0; c < 3; c++) data[i + c] = alpha * next() * 1.3;
    data[i + 3] = alpha;
  }
  return data;
}

/** Puts numbers into the kernels' memory. @returns their address */
export function upload({ arena, run }: Kernels, data: Float32Array | Uint8Array): number {
  const address = arena.allocate(data.byteLength);
  new Uint8Array(run.memory.buffer, address, data.byteLength).set(
    new Uint8Array(data.buffer, data.byteOffset, data.byteLength),
  );
  return address;
}

export function download({ run }: Kernels, address: number, count: number): Float32Array {
  return new Float32Array(run.memory.buffer, address, count).slice();
}

/** The largest difference between two runs of numbers. */
export function largestDifference(a: ArrayLike<number>, b: ArrayLike<number>): number {
  if (a.length !== b.length) throw new Error(`Lengths differ: ${a.length} and ${b.length}`);
  let largest = 0;
  for (let i = 0; i < a.length; i++) largest = Math.max(largest, Math.abs(a[i]! - b[i]!));
  return largest;
}
