import type { Kernels } from "@kinetocache/kernels";
import { intersect, pixelCount, type Window } from "../graph";

export const PIXEL_BYTES = 16;

/** RGBA float32 pixels, linear, premultiplied, in the kernels' memory. */
export interface Raster {
  readonly address: number;
  readonly window: Window;
}

/** What sources and effects draw with: the kernels, and rasters that are given back. */
export class Canvas {
  constructor(readonly kernels: Kernels) {}

  /** A raster with undefined contents. */
  allocate(window: Window): Raster {
    return { address: this.kernels.arena.allocate(pixelCount(window) * PIXEL_BYTES), window };
  }

  allocateClear(window: Window): Raster {
    const raster = this.allocate(window);
    this.kernels.run.fill(raster.address, pixelCount(window), 0, 0, 0, 0);
    return raster;
  }

  release(raster: Raster): void {
    this.kernels.arena.release(raster.address);
  }

  /** Runs `use` with scratch memory that is given back afterwards. */
  withScratch<T>(bytes: number, use: (address: number) => T): T {
    const address = this.kernels.arena.allocate(bytes);
    try {
      return use(address);
    } finally {
      this.kernels.arena.release(address);
    }
  }

  /** Copies numbers into linear memory. */
  write(address: number, numbers: Uint8Array | Float32Array): void {
    const { buffer } = this.kernels.run.memory;
    if (numbers instanceof Float32Array) new Float32Array(buffer, address, numbers.length).set(numbers);
    else new Uint8Array(buffer, address, numbers.length).set(numbers);
  }

  /** Copies bytes out of linear memory. */
  read(address: number, target: Uint8Array): void {
    target.set(new Uint8Array(this.kernels.run.memory.buffer, address, target.length));
  }

  /** A copy of `source` in another window: cut where it is smaller, transparent where it is larger. */
  reframe(source: Raster, window: Window): Raster {
    const common = intersect(source.window, window);
    const whole = common.width === window.width && common.height === window.height;
    const target = whole ? this.allocate(window) : this.allocateClear(window);
    if (pixelCount(common) > 0) {
      this.kernels.run.copyRows(
        addressAt(target, common.x, common.y),
        window.width,
        addressAt(source, common.x, common.y),
        source.window.width,
        common.width,
        common.height,
      );
    }
    return target;
  }
}

/** Address of the pixel at (x, y) in the raster's own space. */
export function addressAt({ address, window }: Raster, x: number, y: number): number {
  return address + ((y - window.y) * window.width + (x - window.x)) * PIXEL_BYTES;
}
