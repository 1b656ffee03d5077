import type { SegmentFile, SegmentFolder } from "../packages/web/src/engine/browserDisk/segments";

/** A folder in memory; what was written is there for whoever opens it again. */
export class MemoryFolder implements SegmentFolder {
  readonly files = new Map<string, Uint8Array>();
  /** All that was written, in order. */
  readonly changes: { readonly name: string; readonly at: number; readonly bytes: Uint8Array }[] = [];
  /** Bytes that may still be written before the folder is full. */
  left = Infinity;
  /** Whether a file that is open cannot be opened again, as in a browser. */
  isExclusive = false;
  private readonly opened = new Set<string>();

  names(): Promise<string[]> {
    return Promise.resolve([...this.files.keys()]);
  }

  /** Everybody who had files open is gone. */
  closeAll(): void {
    this.opened.clear();
  }

  open(name: string): Promise<SegmentFile> {
    if (this.isExclusive && this.opened.has(name))
      return Promise.reject(new DOMException("taken", "NoModificationAllowedError"));
    this.opened.add(name);
    if (!this.files.has(name)) this.files.set(name, new Uint8Array(0));
    return Promise.resolve({
      read: (target, at) => {
        const part = this.files.get(name)!.subarray(at, at + target.byteLength);
        target.set(part);
        return part.byteLength;
      },
      write: (source, at) => {
        const part = source.slice(0, Math.min(source.byteLength, this.left));
        this.left -= part.byteLength;
        this.changes.push({ name, at, bytes: part });
        this.put(name, part, at);
        return part.byteLength;
      },
      size: () => this.files.get(name)!.byteLength,
      truncate: (size) => this.resize(name, size),
      flush: () => undefined,
      close: () => void this.opened.delete(name),
    });
  }

  put(name: string, bytes: Uint8Array, at: number): void {
    const size = this.files.get(name)?.byteLength ?? 0;
    if (at + bytes.byteLength > size) this.resize(name, at + bytes.byteLength);
    this.files.get(name)!.set(bytes, at);
  }

  private resize(name: string, size: number): void {
    const grown = new Uint8Array(size);
    grown.set((this.files.get(name) ?? grown).subarray(0, size));
    this.files.set(name, grown);
  }

  remove(name: string): Promise<void> {
    this.files.delete(name);
    return Promise.resolve();
  }

  get bytes(): number {
    return [...this.files.values()].reduce((sum, { byteLength }) => sum + byteLength, 0);
  }
}
