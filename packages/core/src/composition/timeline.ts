import type { Animated } from "./animation";
import { freeId, freeName, idsOf } from "./create";
import { MOST_FRAMES, type Layer, type ParameterValues, type Transform } from "./document";
import type { FrameNumber, FrameRange } from "./rate";

/** The numbers of a layer that may be animated, each changed; what is a choice, a colour or a reference stays. */
function withNumbers(layer: Layer, change: (value: Animated) => Animated): Layer {
  const changed = (values: ParameterValues): ParameterValues =>
    Object.fromEntries(
      Object.entries(values).map(([name, value]) => [name, typeof value === "string" ? value : change(value)]),
    );
  return {
    ...layer,
    source: { ...layer.source, parameters: changed(layer.source.parameters) },
    transform: changed({ ...layer.transform }) as unknown as Transform,
    opacity: change(layer.opacity),
    effects: layer.effects.map((effect) => ({ ...effect, parameters: changed(effect.parameters) })),
  };
}

/** Frames that a layer names: the ends of its range, its start, its keyframes. */
function framesNamedBy(layer: Layer): FrameNumber[] {
  const frames = [layer.range.in, layer.range.out, layer.start];
  withNumbers(layer, (value) => {
    if (typeof value !== "number") for (const { frame } of value.keyframes) frames.push(frame);
    return value;
  });
  return frames;
}

/**
 * A layer later by so many frames, or earlier, with all that it does: what it showed on frame n it shows on n + frames.
 * @throws RangeError when a frame would be further than a composition can reach
 */
export function slid(layer: Layer, frames: number): Layer {
  const furthest = framesNamedBy(layer).find((frame) => Math.abs(frame + frames) > MOST_FRAMES);
  if (furthest !== undefined)
    throw new RangeError(`${layer.name} would reach frame ${furthest + frames}; the limit is ${MOST_FRAMES}`);
  const later = (value: Animated): Animated =>
    typeof value === "number"
      ? value
      : { keyframes: value.keyframes.map((key) => ({ ...key, frame: key.frame + frames })) };
  const { range, start } = layer;
  return {
    ...withNumbers(layer, later),
    range: { in: range.in + frames, out: range.out + frames },
    start: start + frames,
  };
}

/**
 * A layer that shows on other frames. On those on which it showed before it shows the same.
 * @throws RangeError when there would be none, or one further than a composition can reach
 */
export function trimmed(layer: Layer, range: FrameRange): Layer {
  if (!(range.out > range.in)) throw new RangeError(`${layer.name} must show on at least one frame`);
  if (range.in < -MOST_FRAMES || range.out > MOST_FRAMES)
    throw new RangeError(`${layer.name} can show on frames from −${MOST_FRAMES} to ${MOST_FRAMES}`);
  return { ...layer, range };
}

/**
 * A layer in two, the second from a frame on: together they show what it showed.
 * @throws RangeError when one of them would show nothing
 */
export function split(layer: Layer, at: FrameNumber, among: readonly Layer[]): [Layer, Layer] {
  const { range } = layer;
  if (!(at > range.in && at < range.out))
    throw new RangeError(
      `${layer.name} can be split after frame ${range.in} and before frame ${range.out}, not at ${at}`,
    );
  const rest = { id: freeId(layer.id, idsOf(among)), name: freeName(layer.name, among) };
  return [
    { ...layer, range: { in: range.in, out: at } },
    { ...layer, ...rest, range: { in: at, out: range.out } },
  ];
}
