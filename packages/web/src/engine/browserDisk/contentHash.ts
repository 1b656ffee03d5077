import type { Address, Kernels } from "@kinetocache/kernels";

const BLOCK = 16;
const START = Int32Array.of(0x811c9dc5, 0x01000193, 0x9e3779b9, 0x85ebca6b);
// What is copied is checked before it leaves the second-level cache.
const PIECE = 64 * 1024;

/**
 * 32-bit check of a frame's content. It finds torn and altered files; it is no defence against intent. Four lanes of xor
 * and multiply over its words, as in FNV-1a (Fowler, Noll, Vo), are brought together, and the rest follows byte by byte.
 */
export class ContentHash {
  private readonly lanes: Address;
  private readonly piece: Address;

  constructor(private readonly kernels: Kernels) {
    this.lanes = kernels.arena.allocate(BLOCK);
    this.piece = kernels.arena.allocate(PIECE);
  }

  of(content: Uint8Array): number {
    const { run } = this.kernels;
    const memory = run.memory.buffer;
    const lanes = new Int32Array(memory, this.lanes, START.length);
    lanes.set(START);
    const whole = content.byteLength - (content.byteLength % BLOCK);
    for (let at = 0; at < whole; at += PIECE) {
      const size = Math.min(PIECE, whole - at);
      new Uint8Array(memory, this.piece, size).set(content.subarray(at, at + size));
      run.hashBlocks(this.lanes, this.piece, this.piece + size);
    }
    let hash = content.byteLength;
    for (const lane of lanes) hash = Math.imul(hash ^ lane ^ (lane >>> 16), 0x85ebca6b);
    for (const byte of content.subarray(whole)) hash = Math.imul(hash ^ byte, 0x01000193);
    return (hash ^ (hash >>> 13)) >>> 0;
  }
}
