import {
  BLEND_MODES,
  convertFrame,
  isLayerByLayer,
  secondsAtFrame,
  valueAt,
  type Composition,
  type FrameNumber,
  type Layer,
  type MotionBlur,
  type Transform,
} from "../composition";
import {
  intersect,
  invert,
  isEmpty,
  isIdentity,
  mapWindow,
  NESTED_SIZES,
  union,
  type Affine,
  type Placement,
  type Window,
} from "../drawing";
import { bakedNode } from "./bakedNode";
import { canvas, momentOf, type Context } from "./context";
import { effectNodes } from "./effectNodes";
import type { ContentKey } from "./key";
import type { GraphNode } from "./node";
import { nodeKey } from "./nodeKey";
import { sourceNode } from "./sourceNode";

/** @param inner size of the layer's own picture, where that differs from the size of what it is placed in */
function transformAt(
  transform: Transform,
  { frame, shutter }: Pick<Context, "frame" | "shutter">,
  fraction: number,
  inner: number,
): Affine {
  const at = (value: Transform[keyof Transform]) => valueAt(value, frame, shutter);
  const scale = (at(transform.scale) * fraction) / inner;
  const angle = (at(transform.rotation) * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle) * scale, Math.sin(angle) * scale];
  const [ax, ay] = [at(transform.anchorX) * inner, at(transform.anchorY) * inner];
  const [x, y] = [at(transform.x) * fraction, at(transform.y) * fraction];
  return [cos, -sin, x - cos * ax + sin * ay, sin, cos, y - sin * ax - cos * ay];
}

/** A layer's finished picture: one that another graph has too, what is baked of it, or live. */
function layerNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  return context.shared
    ? context.shared.node(layer, owner, context, ownLayerNode)
    : ownLayerNode(layer, owner, context);
}

function ownLayerNode(layer: Layer, owner: Composition, above: Context): GraphNode | null {
  const context = { ...above, topLayer: above.topLayer ?? layer.id };
  const target = { composition: owner.id, layer: layer.id };
  // What is blended layer by layer is no picture that could stand in for it.
  if (isLayerByLayer(layer)) return liveLayerNode(layer, owner, context);
  return (
    bakedNode(target, owner, context, (at) => liveLayerNode(layer, owner, at)) ?? liveLayerNode(layer, owner, context)
  );
}

/** How far from a frame, in frames, the shutter is sampled: in the middle of equal parts of its interval. */
export function shutterMoments({ shutter, samples }: MotionBlur): number[] {
  const length = shutter / 360;
  return Array.from({ length: samples }, (_, index) => length * ((index + 0.5) / samples - 0.5));
}

/** A layer's picture as it is rendered. */
export function liveLayerNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  if (!layer.motionBlur.enabled || !context.settings.motionBlur) return sampleNode(layer, owner, context);
  const { samples } = layer.motionBlur;
  const distinct = new Map<ContentKey, { node: GraphNode; count: number }>();
  for (const shutter of shutterMoments(layer.motionBlur)) {
    const node = sampleNode(layer, owner, { ...context, shutter });
    if (!node || isEmpty(node.window)) continue;
    const same = distinct.get(node.key);
    if (same) same.count++;
    else distinct.set(node.key, { node, count: 1 });
  }
  const found = [...distinct.values()];
  if (found.length === 0) return null;
  // A layer that stands still is as sharp as without.
  if (found.length === 1 && found[0]!.count === samples) return found[0]!.node;
  const inputs = found.map(({ node }) => node);
  const placements = found.map(({ count }) => ({ opacity: count / samples, blend: BLEND_MODES.indexOf("add") }));
  return stackOf(inputs, placements, inputs.map(({ window }) => window).reduce(union), context);
}

/** A nested composition and the frame of it that is on show; none before its first and after its last. */
function nestedAt(
  { source, start }: Layer,
  owner: Composition,
  context: Context,
): { readonly composition: Composition; readonly context: Context } | null {
  const { composition, offset } = source.parameters;
  const nested = context.document.compositions[composition as string]!;
  const first = Math.round(valueAt(offset as never, context.frame));
  const frame = convertFrame(context.frame - start, owner.rate, nested.rate) + first;
  if (frame < 0 || frame >= nested.duration) return null;
  return { composition: nested, context: { ...context, ...momentOf(frame, nested.rate) } };
}

function nestedNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const nested = nestedAt(layer, owner, context);
  return nested && wholeNode(nested.composition, nested.context);
}

/** The layer as it is at one moment. */
function sampleNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const { fraction, frame, shutter } = context;
  const inner = fraction * NESTED_SIZES[(layer.source.parameters.rendered as string | undefined) ?? "100 %"]!;
  const seconds = secondsAtFrame(frame - layer.start + shutter, owner.rate);
  const within = { ...context, fraction: inner, start: layer.start, seconds };
  const isNested = layer.source.kind === "composition";
  const source = isNested ? nestedNode(layer, owner, within) : sourceNode(layer, owner, within);
  if (!source) return null;
  const picture = canvas(owner, fraction);
  const transform = transformAt(layer.transform, context, fraction, inner);
  if (isIdentity(transform)) return effectNodes(source, layer, picture, within);
  const node = effectNodes(source, layer, null, within);
  const window = intersect(mapWindow(node.window, transform), picture);
  if (isEmpty(window)) return null;
  const key = nodeKey("place", 1, transform.join(","), window, context, [node]);
  return { key, kind: "place", inverse: invert(transform), window, inputs: [node], layer: context.topLayer };
}

/** All layers of a composition that show at a frame. */
export function stackNode(composition: Composition, context: Context): GraphNode {
  const placed = placedNodes(composition, context);
  const inputs = placed.map(({ node }) => node);
  const placements = placed.map(({ placement }) => placement);
  return stackOf(inputs, placements, canvas(composition, context.fraction), context);
}

interface PlacedNode {
  readonly node: GraphNode;
  readonly placement: Placement;
}

/** What is stacked at a frame, from the bottom; the layers of a nested composition among them where it lets them. */
function placedNodes(composition: Composition, context: Context): PlacedNode[] {
  const alone = context.topLayer === null ? context.settings.solo : [];
  return showingLayers(composition, context.frame, alone).flatMap((layer): PlacedNode[] => {
    const opacity = valueAt(layer.opacity, context.frame);
    if (opacity === 0) return [];
    const within = { ...context, topLayer: context.topLayer ?? layer.id };
    if (isTransparent(layer, composition, within)) {
      const nested = nestedAt(layer, composition, within);
      return nested ? placedNodes(nested.composition, nested.context) : [];
    }
    const node = layerNode(layer, composition, context);
    if (!node || isEmpty(node.window)) return [];
    return [{ node, placement: { opacity, blend: BLEND_MODES.indexOf(layer.blend) } }];
  });
}

/** Whether a nested composition's layers lie on what is below as if there were no nesting. */
function isTransparent(layer: Layer, owner: Composition, context: Context): boolean {
  const { source, opacity, blend, transform, motionBlur, effects } = layer;
  if (!isLayerByLayer(layer)) return false;
  const { width, height } = context.document.compositions[source.parameters.composition as string]!;
  if (width !== owner.width || height !== owner.height || source.parameters.rendered !== "100 %") return false;
  if (opacity !== 1 || blend !== "normal" || motionBlur.enabled || effects.some(({ enabled }) => enabled)) return false;
  return isIdentity(transformAt(transform, context, 1, 1));
}

export function stackOf(
  inputs: readonly GraphNode[],
  placements: readonly Placement[],
  window: Window,
  context: Context,
): GraphNode {
  const text = placements.map(({ opacity, blend }) => `${opacity}:${blend}`).join(";");
  const key = nodeKey("stack", 1, text, window, context, inputs);
  return { key, kind: "stack", placements, window, inputs, layer: context.topLayer };
}

/** A whole composition: what is baked of it, or its layers. */
export function wholeNode(composition: Composition, context: Context): GraphNode {
  const live = (at: Context) => stackNode(composition, at);
  return bakedNode({ composition: composition.id }, composition, context, live) ?? live(context);
}

/** Layers that show at a frame, bottom to top. @param alone layers that are shown alone, if any is */
function showingLayers(composition: Composition, frame: FrameNumber, alone: readonly string[]): Layer[] {
  const solo = alone.length > 0 && composition.layers.some(({ id, enabled }) => enabled && alone.includes(id));
  return composition.layers.filter(
    ({ id, enabled, range }) => enabled && (!solo || alone.includes(id)) && frame >= range.in && frame < range.out,
  );
}
