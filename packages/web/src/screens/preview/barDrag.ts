import { MOST_FRAMES, type Edit, type FrameRange, type Layer } from "@kinetocache/core";

/** What of a bar is held: an end, which trims the layer, or the middle, which slides it. */
export type Grip = "start" | "end" | "whole";

/** A layer's range with a grip so many frames further, never empty and never further than a composition can reach. */
export function draggedRange(range: FrameRange, grip: Grip, frames: number): FrameRange {
  const within = (frame: number, from: number, to: number) => Math.max(from, Math.min(to, frame));
  if (grip === "start") return { in: within(range.in + frames, -MOST_FRAMES, range.out - 1), out: range.out };
  if (grip === "end") return { in: range.in, out: within(range.out + frames, range.in + 1, MOST_FRAMES) };
  const by = within(frames, -MOST_FRAMES - range.in, MOST_FRAMES - range.out);
  return { in: range.in + by, out: range.out + by };
}

/** The edit that a drag comes to; undefined where it ends as it began. */
export function dragEdit({ id, range }: Pick<Layer, "id" | "range">, grip: Grip, to: FrameRange): Edit | undefined {
  if (to.in === range.in && to.out === range.out) return undefined;
  return grip === "whole" ? { kind: "layerSlid", layer: id, in: to.in } : { kind: "layerRange", layer: id, range: to };
}

/**
 * How far a grip goes so that an end which comes near one of some frames is exactly there.
 * @param frames how far it would go
 * @param near frames at which ends stop
 * @param reach how near is near, in frames
 */
export function snapped(range: FrameRange, grip: Grip, frames: number, near: readonly number[], reach: number): number {
  const ends = grip === "start" ? [range.in] : grip === "end" ? [range.out] : [range.in, range.out];
  let best = frames;
  let distance = reach;
  for (const end of ends)
    for (const frame of near) {
      const off = Math.abs(frame - (end + frames));
      if (off > distance) continue;
      distance = off;
      best = frame - end;
    }
  return Math.round(best);
}
