import {
  readFrame,
  storedFrameName,
  type ContentKey,
  type Milliseconds,
  type Picture,
  type SourceNode,
  type StoredFrame,
} from "@kinetocache/core";
import type { Kernels } from "@kinetocache/kernels";

/** A stored picture that cannot be drawn. */
export class StoredPictureError extends Error {
  constructor(
    readonly stored: StoredFrame,
    reason: string,
    /** Whether no stored picture can be read: the server is gone. */
    readonly all = false,
  ) {
    super(`Frame ${stored.frame} of a stored sequence: ${reason}`);
    this.name = "StoredPictureError";
  }
}

/** A file that was asked for before its frame came. */
interface ReadAhead {
  readonly name: string;
  readonly file: Promise<Uint8Array | undefined>;
  readonly askedMs: Milliseconds;
}

// A worker's next frame is so many frames on at the most, when several workers take turns.
const LONGEST_STRIDE = 8;
// What was read ahead longer ago is read again: the file may have changed since.
const FRESH_MS = 500;

/**
 * Pictures of bakes and image sequences: they are read before a frame is rendered, and drawn from here. While a frame
 * is rendered, the one that follows at the same distance is read ahead.
 */
export class StoredPictures {
  /** Of the frame that is rendered next. */
  private readonly pictures = new Map<string, Picture>();
  /** By sequence: the frame that was read last, and what is read ahead. */
  private readonly last = new Map<string, number>();
  private readonly ahead = new Map<string, ReadAhead>();
  /** Pictures that others stand in for, in the frame that is rendered next. */
  private readonly instead = new Map<string, StoredFrame>();

  /** @param now clock in milliseconds */
  constructor(
    private readonly kernels: Kernels,
    private readonly now: () => Milliseconds = () => performance.now(),
  ) {}

  /** Reads another picture in place of one, for the frame that is prepared next. */
  readInstead(stored: StoredFrame, other: StoredFrame): void {
    this.instead.set(storedFrameName(stored), other);
  }

  /**
   * Reads what some nodes draw.
   * @returns the time that each took
   * @throws StoredPictureError when one is missing or altered, or the server cannot be reached
   */
  async prepare(nodes: readonly SourceNode[]): Promise<ReadonlyMap<ContentKey, Milliseconds>> {
    this.pictures.clear();
    const took = new Map<ContentKey, Milliseconds>();
    for (const { kind, key, parameters } of nodes) {
      if (kind !== "sequence") continue;
      const start = this.now();
      const stored = { sequence: String(parameters.sequence), frame: Number(parameters.frame) };
      this.pictures.set(storedFrameName(stored), await this.read(stored));
      took.set(key, this.now() - start);
      if (!this.instead.has(storedFrameName(stored))) this.readAhead(stored, Number(parameters.frames));
    }
    this.instead.clear();
    return took;
  }

  /** A picture that was prepared. */
  picture(stored: StoredFrame): Picture {
    const picture = this.pictures.get(storedFrameName(stored));
    if (!picture) throw new StoredPictureError(stored, "it was not read");
    return picture;
  }

  private async read(stored: StoredFrame): Promise<Picture> {
    const other = this.instead.get(storedFrameName(stored));
    const file = other ? await load(other) : ((await this.takeAhead(stored)) ?? (await load(stored)));
    try {
      return readFrame(file, undefined, this.kernels);
    } catch (error) {
      throw new StoredPictureError(stored, (error as Error).message);
    }
  }

  private takeAhead(stored: StoredFrame): Promise<Uint8Array | undefined> | undefined {
    const ahead = this.ahead.get(stored.sequence);
    this.ahead.delete(stored.sequence);
    const isIt = ahead?.name === storedFrameName(stored) && this.now() - ahead.askedMs < FRESH_MS;
    return isIt ? ahead.file : undefined;
  }

  private readAhead({ sequence, frame }: StoredFrame, frames: number): void {
    // Filling goes backwards before the playhead.
    const stride = frame - (this.last.get(sequence) ?? frame);
    this.last.set(sequence, frame);
    const next = { sequence, frame: frame + stride };
    if (stride === 0 || Math.abs(stride) > LONGEST_STRIDE || next.frame < 0 || next.frame >= frames) return;
    // One that cannot be had is asked for again when its frame comes, and what is wrong is said then.
    const file = load(next).catch(() => undefined);
    this.ahead.set(sequence, { name: storedFrameName(next), file, askedMs: this.now() });
  }
}

/** The file of a stored picture. @throws StoredPictureError */
async function load(stored: StoredFrame): Promise<Uint8Array> {
  const response = await fetch(`/api/sequences/${stored.sequence}/frames/${stored.frame}`).catch(() => {
    throw new StoredPictureError(stored, "the server does not answer", true);
  });
  if (!response.ok) {
    const { detail } = (await response.json().catch(() => ({}))) as { detail?: string };
    throw new StoredPictureError(stored, detail ?? `the server answered ${response.status}`);
  }
  return new Uint8Array(await response.arrayBuffer());
}
