import { GraphicsError } from "./graphicsError";

/** Buffers of a graphics device for rasters: handed out, taken back, and freed when a whole frame did without. */
export class BufferPool {
  private readonly free = new Map<number, GPUBuffer[]>();
  private readonly spare = new Set<GPUBuffer>();
  private usedBytes = 0;
  private freeBytes = 0;
  private peak = 0;

  constructor(
    private readonly create: (bytes: number) => GPUBuffer,
    private readonly mostBytes: number,
  ) {}

  /** Bytes of all buffers, handed out or not. */
  get heldBytes(): number {
    return this.usedBytes + this.freeBytes;
  }

  /** Most bytes handed out at one time since `startFrame`. */
  get peakBytes(): number {
    return this.peak;
  }

  /** @throws GraphicsError when the device has no buffers of that size */
  take(bytes: number): GPUBuffer {
    if (bytes > this.mostBytes)
      throw new GraphicsError(
        `A picture of ${bytes} bytes is larger than the ${this.mostBytes} that the device takes`,
        false,
      );
    const known = this.free.get(bytes)?.pop();
    if (known) {
      this.freeBytes -= bytes;
      this.spare.delete(known);
    }
    this.usedBytes += bytes;
    this.peak = Math.max(this.peak, this.usedBytes);
    return known ?? this.create(bytes);
  }

  give(buffer: GPUBuffer): void {
    this.usedBytes -= buffer.size;
    this.freeBytes += buffer.size;
    const alike = this.free.get(buffer.size);
    if (alike) alike.push(buffer);
    else this.free.set(buffer.size, [buffer]);
  }

  /** From here on it is noted which of the free buffers are not needed. */
  startFrame(): void {
    this.peak = this.usedBytes;
    for (const buffers of this.free.values()) for (const buffer of buffers) this.spare.add(buffer);
  }

  /** Frees what was not needed since `startFrame`. */
  endFrame(): void {
    for (const [bytes, buffers] of this.free) {
      const needed = buffers.filter((buffer) => !this.spare.has(buffer));
      this.freeBytes -= bytes * (buffers.length - needed.length);
      if (needed.length > 0) this.free.set(bytes, needed);
      else this.free.delete(bytes);
    }
    for (const buffer of this.spare) buffer.destroy();
    this.spare.clear();
  }
}
