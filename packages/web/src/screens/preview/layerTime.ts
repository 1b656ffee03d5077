import { LONGEST_NAME, propertiesOf, type Edit, type FrameNumber, type Layer } from "@kinetocache/core";

/** Whether both parts of a layer that is split at a frame would show. */
export function canSplit({ range }: Layer, frame: FrameNumber): boolean {
  return frame > range.in && frame < range.out;
}

/** The edit that nests a layer with others, under a name that says what is in it. */
export function nesting({ id, name }: Layer, also: readonly string[]): Edit {
  const more = also.length > 0 ? ` and ${also.length} more` : ", nested";
  return { kind: "layersNested", layers: [id, ...also], name: `${name.slice(0, LONGEST_NAME - 20)}${more}` };
}

/** The nearest frame before or after one at which any number of a layer has a keyframe. */
export function nextKeyframe(layer: Layer, from: FrameNumber, direction: 1 | -1): FrameNumber | undefined {
  const frames = propertiesOf(layer).flatMap(({ value }) =>
    typeof value === "number" ? [] : value.keyframes.map(({ frame }) => frame),
  );
  const ahead = frames.filter((frame) => (frame - from) * direction > 0);
  return ahead.length === 0 ? undefined : direction > 0 ? Math.min(...ahead) : Math.max(...ahead);
}
