/** The linear memory of a kernels instance, as far as it is used here. */
export interface LinearMemory {
  readonly buffer: ArrayBuffer;
  grow(pages: number): number;
}

const PAGE = 65536;
// Blocks start on a cache line.
const ALIGN = 64;

interface Block {
  start: number;
  size: number;
}

/**
 * First-fit allocator for large pixel blocks in linear memory. Free blocks are kept in address order and
 * joined with their neighbours; memory grows only when no free block is large enough.
 */
export class Arena {
  private readonly free: Block[] = [];
  /** Size and number in order of allocation of each block that is handed out, by address. */
  private readonly used = new Map<number, { readonly size: number; readonly serial: number }>();
  private serial = 0;
  private usedTotal = 0;
  private peakTotal = 0;

  /** @param base first byte that the kernels do not use for themselves */
  constructor(
    private readonly memory: LinearMemory,
    base: number,
  ) {
    const start = Math.ceil(base / ALIGN) * ALIGN;
    this.free.push({ start, size: memory.buffer.byteLength - start });
  }

  /** Bytes handed out at present. */
  get usedBytes(): number {
    return this.usedTotal;
  }

  /** Most bytes ever handed out at one time since `resetPeak`. */
  get peakBytes(): number {
    return this.peakTotal;
  }

  resetPeak(): void {
    this.peakTotal = this.usedTotal;
  }

  /** Size of the linear memory, which never shrinks. */
  get capacityBytes(): number {
    return this.memory.buffer.byteLength;
  }

  /** @returns address of a block of at least `bytes` bytes. @throws RangeError when memory cannot grow (4 GiB at most). */
  allocate(bytes: number): number {
    const size = Math.max(ALIGN, Math.ceil(bytes / ALIGN) * ALIGN);
    let index = this.free.findIndex((block) => block.size >= size);
    if (index < 0) index = this.grow(size);
    const block = this.free[index]!;
    const address = block.start;
    block.start += size;
    block.size -= size;
    if (block.size === 0) this.free.splice(index, 1);
    this.used.set(address, { size, serial: this.serial++ });
    this.usedTotal += size;
    this.peakTotal = Math.max(this.peakTotal, this.usedTotal);
    return address;
  }

  /** Gives a block back. @throws Error when `address` was not handed out. */
  release(address: number): void {
    const block = this.used.get(address);
    if (block === undefined) throw new Error(`No block at address ${address}`);
    const { size } = block;
    this.used.delete(address);
    this.usedTotal -= size;
    const next = this.free.findIndex((block) => block.start > address);
    const index = next < 0 ? this.free.length : next;
    this.free.splice(index, 0, { start: address, size });
    this.join(index);
    if (index > 0) this.join(index - 1);
  }

  /** A point in the order of allocations. */
  mark(): number {
    return this.serial;
  }

  /** Gives back what was handed out since a mark and is still in use. */
  releaseSince(mark: number): void {
    for (const [address, { serial }] of this.used) if (serial >= mark) this.release(address);
  }

  private join(index: number): void {
    const block = this.free[index]!;
    const next = this.free[index + 1];
    if (next && block.start + block.size === next.start) {
      block.size += next.size;
      this.free.splice(index + 1, 1);
    }
  }

  private grow(size: number): number {
    const end = this.memory.buffer.byteLength;
    const last = this.free[this.free.length - 1];
    const tail = last && last.start + last.size === end ? last.size : 0;
    const pages = Math.ceil((size - tail) / PAGE);
    try {
      this.memory.grow(pages);
    } catch (cause) {
      throw new RangeError(`The renderer needs ${size} bytes more memory than it can address`, { cause });
    }
    if (tail > 0) {
      last!.size += pages * PAGE;
      return this.free.length - 1;
    }
    this.free.push({ start: end, size: pages * PAGE });
    return this.free.length - 1;
  }
}
