import type { FrameNumber } from "./rate";

/** How a value travels from one keyframe to the next. */
export const EASES = ["linear", "smooth", "hold"] as const;
export type Ease = (typeof EASES)[number];

export interface Keyframe {
  readonly frame: FrameNumber;
  readonly value: number;
  /** From this keyframe to the next. */
  readonly ease: Ease;
}

/** A number that stays, or moves by keyframes in order of frame. */
export type Animated = number | { readonly keyframes: readonly Keyframe[] };

/** The value at a frame; before the first and after the last keyframe it stays. */
export function valueAt(animated: Animated, frame: FrameNumber): number {
  if (typeof animated === "number") return animated;
  const keys = animated.keyframes;
  let next = 0;
  while (next < keys.length && keys[next]!.frame <= frame) next++;
  if (next === 0) return keys[0]!.value;
  const from = keys[next - 1]!;
  const to = keys[next];
  if (!to || from.ease === "hold") return from.value;
  const t = (frame - from.frame) / (to.frame - from.frame);
  const eased = from.ease === "smooth" ? t * t * (3 - 2 * t) : t;
  return from.value + (to.value - from.value) * eased;
}
