import {
  PACKINGS,
  type Bytes,
  type ContentKey,
  type FormatTrial,
  type Milliseconds,
  type Packing,
} from "@kinetocache/core";
import { Failed, type Answer, type FrameStorage, type HeldPicture, type Target } from "./frameStorage";
import { SparePixels } from "./pixels";
import type { Status } from "./protocol";

// As many as playback asks for at a time.
const AT_ONCE = 4;
// More would take memory and time, and tell no more.
const MOST_BYTES: Bytes = 192 * 2 ** 20;
const MOST_FRAMES = 16;
const OWNER = "format-trial";

/** A measurement was ended before it was done. */
class Ended extends Error {}

/** As many of the pictures as are worth measuring with, from all over. */
export function sampleOf(pictures: readonly HeldPicture[]): HeldPicture[] {
  const bytes = pictures[0]?.pixels.byteLength ?? 1;
  const count = Math.max(1, Math.min(MOST_FRAMES, pictures.length, Math.floor(MOST_BYTES / bytes)));
  return Array.from({ length: Math.min(count, pictures.length) }, (_, index) => {
    return pictures[Math.floor((index * pictures.length) / count)]!;
  });
}

/**
 * Stores frames in each way at a location and reads them back, through the whole path that playback takes, and
 * times that. What it stored is removed again, whatever happens.
 */
export class FormatRun {
  private done = 0;
  private isEnded = false;

  constructor(
    private readonly storage: FrameStorage,
    private readonly pictures: readonly HeldPicture[],
    private readonly location: Target,
  ) {}

  get status(): Status["trial"] {
    return {
      of: "formats",
      step: "writing and reading",
      progress: this.done / (this.pictures.length * 2 * PACKINGS.length),
    };
  }

  stop(): void {
    this.isEnded = true;
  }

  /** @returns undefined when it was stopped @throws Failed when the location does not take or give a frame */
  async run(): Promise<FormatTrial[] | undefined> {
    const results: FormatTrial[] = [];
    try {
      // Automatic packing comes last: it goes by what the others showed.
      for (const packing of PACKINGS) results.push(await this.measure(packing));
      return results;
    } catch (error) {
      if (error instanceof Ended) return undefined;
      throw error;
    }
  }

  private async measure(packing: Packing): Promise<FormatTrial> {
    const { storage, pictures } = this;
    const { location } = this.location;
    const target: Target = { ...this.location, packing };
    // As in playback, where frames that are let go make place for those that come.
    const spares = new SparePixels(AT_ONCE);
    const keys = pictures.map((): ContentKey => crypto.randomUUID().replaceAll("-", ""));
    try {
      let storedBytes = 0;
      const writeMs = await timed(async () => {
        for (const [index, picture] of pictures.entries()) {
          const frame = { key: keys[index]!, owner: OWNER, costMs: 0, picture };
          storedBytes += this.step(await storage.store(frame, target));
        }
      });
      let pixelBytes = 0;
      const waiting = keys.values();
      const fetchOn = async (): Promise<void> => {
        for (const key of waiting) {
          const { pixels } = this.step(await storage.fetch(key, spares.take()));
          pixelBytes += pixels.byteLength;
          spares.add(pixels);
        }
      };
      const readMs = await timed(async () => void (await Promise.all(Array.from({ length: AT_ONCE }, fetchOn))));
      return {
        location,
        packing,
        frames: keys.length,
        pixelBytes: pixelBytes / keys.length,
        storedBytes: storedBytes / keys.length,
        writeRate: (pixelBytes * 1000) / writeMs,
        readRate: (pixelBytes * 1000) / readMs,
      };
    } finally {
      spares.drop();
      for (const key of keys) await storage.remove(key, location);
    }
  }

  private step<T>(answer: Answer<T>): T {
    if (this.isEnded) throw new Ended();
    if (!answer.ok) throw new Failed(answer.failure);
    this.done++;
    return answer.value;
  }
}

async function timed(work: () => Promise<void>): Promise<Milliseconds> {
  const start = performance.now();
  await work();
  return Math.max(0.001, performance.now() - start);
}
