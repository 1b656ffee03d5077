import type { Composition } from "../composition";
import { NO_BAKES, type BakeTarget } from "./bake";
import { canvas, type Context } from "./context";
import { contentKey, type ContentKey } from "./key";
import type { GraphNode } from "./node";
import { FULL_QUALITY, type RenderSettings } from "./settings";
import { storedNode } from "./sourceNode";

const NOTHING_KEY = contentKey("nothing");

/** The stored picture that stands in for a branch, if one does. @param live the branch at given settings */
export function bakedNode(
  target: BakeTarget,
  owner: Composition,
  context: Context,
  live: (context: Context) => GraphNode | null,
): GraphNode | undefined {
  const { bakes, frame } = context;
  if (bakes.list.length === 0) return undefined;
  const bake = bakes.find(target, frame, ({ fraction, renderer }) => liveKey(live, context, { fraction, renderer }));
  if (!bake) return undefined;
  const index = frame - bake.range.in;
  const text = `baked=${bake.keys[index]}|${bake.depth}`;
  const stored = { sequence: bake.sequence, frame: index };
  const frames = bake.range.out - bake.range.in;
  const size = { ...canvas(owner, bake.fraction), frames };
  return storedNode(stored, text, size, canvas(owner, context.fraction), context);
}

/** Key of a branch as it is baked: at full quality, and made of nothing that is baked itself. */
function liveKey(
  live: (context: Context) => GraphNode | null,
  context: Context,
  { fraction, renderer }: Pick<RenderSettings, "fraction" | "renderer">,
): ContentKey | undefined {
  const settings = { ...FULL_QUALITY, fraction, renderer };
  return bakedKey(live({ ...context, settings, fraction, bakes: NO_BAKES, shared: undefined }));
}

// A layer that shows nothing on a frame is baked as an empty picture.
export function bakedKey(node: GraphNode | null): ContentKey {
  return node?.key ?? NOTHING_KEY;
}
