import { Arena, type LinearMemory } from "./arena";
import type { KernelExports, Kernels } from "./kernels";

const PAGE = 65536;
const MOST_PAGES = 65536;

/** Memory that has a size and no contents. */
class CountedMemory implements LinearMemory {
  private pages = 1;

  get buffer(): ArrayBuffer {
    return { byteLength: this.pages * PAGE } as ArrayBuffer;
  }

  grow(pages: number): number {
    if (this.pages + pages > MOST_PAGES) throw new RangeError("More than 4 GiB");
    this.pages += pages;
    return this.pages - pages;
  }
}

/**
 * Kernels that leave every pixel alone and only count memory: what a renderer would need is found out by letting
 * it run on these. Nothing can be read from or written to their memory.
 */
export function dryKernels(): Kernels {
  const memory = new CountedMemory();
  const nothing = () => undefined;
  const run = new Proxy({} as KernelExports, { get: (_, name) => (name === "memory" ? memory : nothing) });
  return { run, arena: new Arena(memory, 0) };
}
