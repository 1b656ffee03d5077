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

/**
 * The value at a frame; before the first and after the last keyframe it stays.
 * @param beside how far from the frame, in frames; apart, so that what is moved in time keeps its exact values
 */
export function valueAt(animated: Animated, frame: FrameNumber, beside = 0): number {
  if (typeof animated === "number") return animated;
  const keys = animated.keyframes;
  let next = 0;
  while (next < keys.length && keys[next]!.frame - frame <= beside) next++;
  if (next === 0) return keys[0]!.value;
  const from = keys[next - 1]!;
  const to = keys[next];
  if (!to || from.ease === "hold") return from.value;
  const t = (frame - from.frame + beside) / (to.frame - from.frame);
  const eased = from.ease === "smooth" ? t * t * (3 - 2 * t) : t;
  return from.value + (to.value - from.value) * eased;
}

/** The keyframe at a frame, if there is one. */
export function keyframeAt(animated: Animated, frame: FrameNumber): Keyframe | undefined {
  return typeof animated === "number" ? undefined : animated.keyframes.find((key) => key.frame === frame);
}

function ordered(keyframes: readonly Keyframe[]): Animated {
  return { keyframes: [...keyframes].sort((a, b) => a.frame - b.frame) };
}

const without = (animated: Animated, frame: FrameNumber): readonly Keyframe[] =>
  typeof animated === "number" ? [] : animated.keyframes.filter((key) => key.frame !== frame);

/** With a value at a frame: a keyframe there gets it, or a new one, which travels on as the value did there. */
export function withKeyframe(animated: Animated, frame: FrameNumber, value: number): Animated {
  const there = keyframeAt(animated, frame) ?? (typeof animated === "number" ? undefined : keyBefore(animated, frame));
  return ordered([...without(animated, frame), { frame, value, ease: there?.ease ?? "linear" }]);
}

/** Without the keyframe at a frame; without the last one the value stays what that was. */
export function withoutKeyframe(animated: Animated, frame: FrameNumber): Animated {
  const gone = keyframeAt(animated, frame);
  if (!gone) return animated;
  const rest = without(animated, frame);
  return rest.length === 0 ? gone.value : { keyframes: rest };
}

/** With a keyframe at another frame; one that is there already makes way. */
export function withKeyframeMoved(animated: Animated, from: FrameNumber, to: FrameNumber): Animated {
  const key = keyframeAt(animated, from);
  if (!key || from === to) return animated;
  const others = without(animated, from).filter((other) => other.frame !== to);
  return ordered([...others, { ...key, frame: to }]);
}

/** With another way from a keyframe to the next. */
export function withEase(animated: Animated, frame: FrameNumber, ease: Ease): Animated {
  const key = keyframeAt(animated, frame);
  return key ? ordered([...without(animated, frame), { ...key, ease }]) : animated;
}

/** The nearest keyframe before a frame. */
export function keyBefore(animated: Animated, frame: FrameNumber): Keyframe | undefined {
  return typeof animated === "number" ? undefined : animated.keyframes.filter((key) => key.frame < frame).at(-1);
}

/** The nearest keyframe after a frame. */
export function keyAfter(animated: Animated, frame: FrameNumber): Keyframe | undefined {
  return typeof animated === "number" ? undefined : animated.keyframes.find((key) => key.frame > frame);
}
