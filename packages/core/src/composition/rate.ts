export type Milliseconds = number;
export type Seconds = number;
/** Integer from 0. */
export type FrameNumber = number;

/** Frames per second as a rational number, so that 30000/1001 stays exact. */
export interface Rate {
  readonly numerator: number;
  readonly denominator: number;
}

/** Half-open range of frames `[in, out)`. */
export interface FrameRange {
  readonly in: FrameNumber;
  readonly out: FrameNumber;
}

/** Time one frame may take: 1000 · denominator / numerator. */
export function frameBudgetMs(rate: Rate): Milliseconds {
  return (1000 * rate.denominator) / rate.numerator;
}

/** Time at which a frame starts. */
export function secondsAtFrame(frame: FrameNumber, rate: Rate): Seconds {
  return (frame * rate.denominator) / rate.numerator;
}

/** The frame of a composition at `to` that is on show when `frame` starts at `from`; exact in integers. */
export function convertFrame(frame: FrameNumber, from: Rate, to: Rate): FrameNumber {
  return Math.floor((frame * from.denominator * to.numerator) / (from.numerator * to.denominator));
}

/** Frames per second as a number, for display and comparison. */
export function framesPerSecond(rate: Rate): number {
  return rate.numerator / rate.denominator;
}

/** Non-drop timecode HH:MM:SS:FF, counted at the nearest whole rate. */
export function timecode(frame: FrameNumber, rate: Rate): string {
  const base = Math.round(framesPerSecond(rate));
  const pad = (value: number) => String(value).padStart(2, "0");
  const seconds = Math.floor(frame / base);
  return [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60, frame % base].map(pad).join(":");
}

/** Number of frames in a range. */
export function rangeLength(range: FrameRange): number {
  return Math.max(0, range.out - range.in);
}

/** `frame` moved into `range` as in a loop. */
export function wrapFrame(frame: FrameNumber, range: FrameRange): FrameNumber {
  const length = rangeLength(range);
  if (length === 0) return range.in;
  return range.in + ((((frame - range.in) % length) + length) % length);
}

/** `frame` moved to the nearest frame of `range`. */
export function clampFrame(frame: FrameNumber, range: FrameRange): FrameNumber {
  return Math.max(range.in, Math.min(range.out - 1, frame));
}
