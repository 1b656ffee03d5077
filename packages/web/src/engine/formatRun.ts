import {
  formToKeep,
  type Bytes,
  type ContentKey,
  type FormatTrial,
  type Milliseconds,
  type Packing,
} from "@kinetocache/core";
import { Failed, type Answer, type FrameStorage, type HeldPicture, type Target } from "./frameStorage";
import { median } from "./median";
import { SparePixels } from "./pixels";
import type { Status } from "./protocol/event";

// As many as playback asks for at a time.
const AT_ONCE = 4;
// Forms are read by turns so often: what comes back sooner only now and then is noise.
const ROUNDS = 3;
const FORMS = ["plain", "packed"] as const;
// More would take memory and time, and tell no more.
const MOST_BYTES: Bytes = 192 * 2 ** 20;
const MOST_FRAMES = 16;
const OWNER = "format-trial";

/** Frames that are stored in one form, and what that and reading them back took so far. */
interface StoredForm {
  readonly packing: Packing;
  readonly keys: readonly ContentKey[];
  bytes: Bytes;
  writeMs: Milliseconds;
  pixelBytes: Bytes;
  readonly readMs: Milliseconds[];
}

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
 * Stores frames in each form at a location and reads them back by turns, through the whole path that playback takes,
 * and times that. What it stored is removed again, whatever happens.
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
      progress: this.done / (this.pictures.length * FORMS.length * (1 + ROUNDS)),
    };
  }

  stop(): void {
    this.isEnded = true;
  }

  /** @returns undefined when it was stopped @throws Failed when the location does not take or give a frame */
  async run(): Promise<FormatTrial[] | undefined> {
    const stored: StoredForm[] = [];
    try {
      for (const packing of FORMS) await this.store(packing, stored);
      for (let round = 0; round < ROUNDS; round++)
        // Each form goes first now and then: the first finds memory and processor as the last one left them.
        for (const form of round % 2 ? stored.toReversed() : stored) await this.read(form);
      const [plain, packed] = stored.map((form) => this.trialOf(form)) as [FormatTrial, FormatTrial];
      const kept = formToKeep(plain, packed) === "plain" ? plain : packed;
      return [plain, packed, { ...kept, packing: "automatic" }];
    } catch (error) {
      if (error instanceof Ended) return undefined;
      throw error;
    } finally {
      for (const { keys } of stored) for (const key of keys) await this.storage.remove(key, this.location.location);
    }
  }

  private async store(packing: Packing, stored: StoredForm[]): Promise<void> {
    const target: Target = { ...this.location, packing };
    const keys = this.pictures.map((): ContentKey => crypto.randomUUID().replaceAll("-", ""));
    const form: StoredForm = { packing, keys, bytes: 0, writeMs: 0, pixelBytes: 0, readMs: [] };
    stored.push(form);
    form.writeMs = await timed(async () => {
      for (const [index, picture] of this.pictures.entries()) {
        const frame = { key: keys[index]!, owner: OWNER, costMs: 0, picture };
        form.bytes += this.step(await this.storage.store(frame, target));
      }
    });
  }

  private async read(form: StoredForm): Promise<void> {
    // As in playback, where frames that are let go make place for those that come.
    const spares = new SparePixels(AT_ONCE);
    form.pixelBytes = 0;
    const waiting = form.keys.values();
    const fetchOn = async (): Promise<void> => {
      for (const key of waiting) {
        const { pixels } = this.step(await this.storage.fetch(key, spares.take()));
        form.pixelBytes += pixels.byteLength;
        spares.add(pixels);
      }
    };
    try {
      form.readMs.push(await timed(async () => void (await Promise.all(Array.from({ length: AT_ONCE }, fetchOn)))));
    } finally {
      spares.drop();
    }
  }

  private trialOf({ packing, keys, bytes, writeMs, pixelBytes, readMs }: StoredForm): FormatTrial {
    const readRates = readMs.map((ms) => (pixelBytes * 1000) / ms);
    return {
      location: this.location.location,
      packing,
      frames: keys.length,
      pixelBytes: pixelBytes / keys.length,
      storedBytes: bytes / keys.length,
      writeRate: (pixelBytes * 1000) / writeMs,
      readRate: median(readRates),
      readRates,
    };
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
