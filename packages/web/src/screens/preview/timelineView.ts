import type { FrameRange } from "@kinetocache/core";

/** The stretch of frames that the terrain shows, in fractional frames. */
export interface TimelineView {
  readonly start: number;
  readonly end: number;
}

const FEWEST_FRAMES = 8;

export function wholeView(duration: number): TimelineView {
  return { start: 0, end: duration };
}

function clampView(start: number, length: number, duration: number): TimelineView {
  const span = Math.min(duration, Math.max(Math.min(FEWEST_FRAMES, duration), length));
  const from = Math.max(0, Math.min(duration - span, start));
  return { start: from, end: from + span };
}

/** Zooms by `factor` (below 1 comes nearer) with the frame under the pointer staying where it is. */
export function zoomAround(view: TimelineView, frame: number, factor: number, duration: number): TimelineView {
  const length = (view.end - view.start) * factor;
  const share = (frame - view.start) / (view.end - view.start);
  const span = Math.min(duration, Math.max(FEWEST_FRAMES, length));
  return clampView(frame - share * span, span, duration);
}

export function pan(view: TimelineView, frames: number, duration: number): TimelineView {
  return clampView(view.start + frames, view.end - view.start, duration);
}

/** Position of the left edge of a frame. */
export function xOfFrame(frame: number, view: TimelineView, width: number): number {
  return ((frame - view.start) / (view.end - view.start)) * width;
}

/** The frame under a position. */
export function frameAtX(x: number, view: TimelineView, width: number): number {
  return view.start + (x / width) * (view.end - view.start);
}

// Steps of a ruler, each for ten times as many frames, too.
const STEPS = [1, 2, 5];
const ROOM_A_MARK = 124;

/** Frames at which a ruler has its marks: a round number apart, with room for what is written there. */
export function rulerFrames(view: TimelineView, width: number): number[] {
  const least = (ROOM_A_MARK * (view.end - view.start)) / Math.max(1, width);
  let power = 1;
  while (least > power * 10) power *= 10;
  const step = power * (STEPS.find((one) => one * power >= least) ?? 10);
  const frames: number[] = [];
  for (let frame = Math.ceil(view.start / step) * step; frame < view.end; frame += step)
    if (xOfFrame(frame, view, width) <= width - ROOM_A_MARK) frames.push(frame);
  return frames;
}

/** The range with one end moved, never empty and never outside the composition. */
export function moveEnd(range: FrameRange, end: "in" | "out", frame: number, duration: number): FrameRange {
  if (end === "in") return { in: Math.max(0, Math.min(range.out - 1, frame)), out: range.out };
  return { in: range.in, out: Math.min(duration, Math.max(range.in + 1, frame)) };
}

/** Where something `room` wide first fits between marks, in pixels from the left; 0 where it fits nowhere. */
export function firstGap(marks: readonly number[], room: number, width: number): number {
  const edges = [0, ...[...marks].sort((a, b) => a - b), width];
  const at = edges.findIndex((edge, index) => edges[index + 1]! - edge >= room);
  return at === -1 ? 0 : Math.max(0, edges[at]!);
}
