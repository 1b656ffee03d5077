import { wrapFrame, type FrameNumber, type FrameRange } from "../composition";
import type { ContentKey } from "../graph";

/** Where a frame is held, as bits. */
export const IN_MEMORY = 1;
export const ON_DISK = 2;

/**
 * Keys of a timeline's frames and where each is held. Still stretches share one key among many frames; its
 * frames are kept in order so that the next use is found by bisection.
 */
export class Timeline {
  readonly residency: Uint8Array;
  private readonly keys: (ContentKey | undefined)[];
  private readonly frames = new Map<ContentKey, FrameNumber[]>();

  constructor(readonly duration: number) {
    this.residency = new Uint8Array(duration);
    this.keys = new Array<ContentKey | undefined>(duration);
  }

  keyOf(frame: FrameNumber): ContentKey | undefined {
    return this.keys[frame];
  }

  has(key: ContentKey): boolean {
    return this.frames.has(key);
  }

  /** Frames that show a key, in order. */
  framesOf(key: ContentKey): readonly FrameNumber[] {
    return this.frames.get(key) ?? [];
  }

  /** Sets the key of a frame; `held` are its residency bits. */
  setKey(frame: FrameNumber, key: ContentKey, held: number): void {
    this.forget(frame);
    this.keys[frame] = key;
    this.residency[frame] = held;
    const frames = this.frames.get(key);
    if (!frames) this.frames.set(key, [frame]);
    else frames.splice(firstAtLeast(frames, frame), 0, frame);
  }

  private forget(frame: FrameNumber): void {
    const key = this.keys[frame];
    if (key === undefined) return;
    const others = this.framesOf(key).filter((one) => one !== frame);
    if (others.length > 0) this.frames.set(key, others);
    else this.frames.delete(key);
  }

  /** Notes that a key is, or is no longer, held in a tier. Keys of other timelines are ignored. */
  mark(key: ContentKey, tier: number, held: boolean): void {
    for (const frame of this.framesOf(key)) {
      if (held) this.residency[frame]! |= tier;
      else this.residency[frame]! &= ~tier;
    }
  }

  /** Frames until a key is shown next when playing `range` in a loop from `playhead`; Infinity when never. */
  nextUse(key: ContentKey, playhead: FrameNumber, range: FrameRange, direction: 1 | -1): number {
    const frames = this.frames.get(key);
    if (!frames) return Infinity;
    const start = wrapFrame(playhead, range);
    const length = range.out - range.in;
    const candidates =
      direction > 0
        ? [frames[firstAtLeast(frames, start)], frames[firstAtLeast(frames, range.in)]]
        : [frames[firstAtLeast(frames, start + 1) - 1], frames[firstAtLeast(frames, range.out) - 1]];
    for (const frame of candidates) {
      if (frame === undefined || frame < range.in || frame >= range.out) continue;
      return ((frame - start) * direction + length) % length;
    }
    return Infinity;
  }

  /** Frames from the playhead to the nearest showing of a key; undefined when it is not on the timeline. */
  distance(key: ContentKey, playhead: FrameNumber): number | undefined {
    const frames = this.frames.get(key);
    if (!frames) return undefined;
    const next = firstAtLeast(frames, playhead);
    const after = frames[next] === undefined ? Infinity : frames[next] - playhead;
    const before = frames[next - 1] === undefined ? Infinity : playhead - frames[next - 1]!;
    return Math.min(after, before);
  }

  /** Whether any showing of a key lies in a range. */
  isIn(key: ContentKey, range: FrameRange): boolean {
    const frames = this.frames.get(key);
    if (!frames) return false;
    const frame = frames[firstAtLeast(frames, range.in)];
    return frame !== undefined && frame < range.out;
  }
}

/** Index of the first element that is at least `value`, in rising order. */
function firstAtLeast(sorted: readonly number[], value: number): number {
  let low = 0;
  let high = sorted.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sorted[middle]! < value) low = middle + 1;
    else high = middle;
  }
  return low;
}
