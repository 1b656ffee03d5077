import {
  BLEND_MODES,
  convertFrame,
  mainComposition,
  NESTED_SIZES,
  EFFECTS,
  secondsAtFrame,
  SOURCES,
  valueAt,
  type Asset,
  type ClipAsset,
  type Composition,
  type Depth,
  type Document,
  type EffectInstance,
  type EffectKind,
  type FrameNumber,
  type Layer,
  type MotionBlur,
  type Parameters,
  type ParameterValues,
  type Rate,
  type Seconds,
  type SequenceAsset,
  type Transform,
} from "../composition";
import { NO_BAKES, type Bakes, type BakeTarget, type StoredFrame } from "./bake";
import { contentKey, type ContentKey } from "./key";
import { inOrder, type Evaluated, type GraphNode, type Placement } from "./node";
import { FULL_QUALITY, type RenderSettings } from "./settings";
import {
  grow,
  intersect,
  invert,
  isEmpty,
  isIdentity,
  mapWindow,
  scaledSize,
  union,
  type Affine,
  type Window,
} from "./window";

export interface FrameGraph {
  /** The finished picture, as large as the composition at the preview size. */
  readonly root: GraphNode;
  /** Key of the finished frame at the document's bit depth. */
  readonly key: ContentKey;
  readonly depth: Depth;
}

interface Context {
  readonly document: Document;
  readonly settings: RenderSettings;
  readonly bakes: Bakes;
  readonly frame: FrameNumber;
  /** The moment that is shown, in frames: other than `frame` while the shutter is open around it. */
  readonly time: number;
  readonly seconds: Seconds;
  /** Size of what is drawn against the size of its composition. */
  readonly fraction: number;
  /** Layer of the main composition that pays; null at the top. */
  readonly payer: string | null;
  readonly shared?: SharedLayers;
}

/**
 * Layers' nodes that graphs have in common: states of one document differ in a layer or two. For the graphs of one
 * frame at one setting, with the same bakes.
 */
export class SharedLayers {
  private readonly byAssets = new Map<Document["assets"], Map<Layer, Map<string, GraphNode | null>>>();

  /** @param name what decides the node beside the layer and the assets */
  node(assets: Document["assets"], layer: Layer, name: string, build: () => GraphNode | null): GraphNode | null {
    const byLayer = entry(this.byAssets, assets, () => new Map<Layer, Map<string, GraphNode | null>>());
    return entry(
      entry(byLayer, layer, () => new Map<string, GraphNode | null>()),
      name,
      build,
    );
  }
}

function entry<K, V>(map: Map<K, V>, key: K, make: () => V): V {
  const known = map.get(key);
  if (known !== undefined) return known;
  const made = make();
  map.set(key, made);
  return made;
}

/** Parameters that a kind derives from the time: they enter the key only where they change the picture. */
const TIMED: Readonly<Record<string, (values: Evaluated, context: Context) => Record<string, number>>> = {
  noise: (values, { seconds }) => ({
    evolution: Number(values.evolution) * seconds,
    driftX: Number(values.driftX) * seconds,
    driftY: Number(values.driftY) * seconds,
  }),
  flock: (values, { seconds }) => ({ speed: Number(values.speed) * seconds }),
  displacement: (values, { seconds }) => ({ evolution: Number(values.evolution) * seconds }),
  grain: (_, { frame }) => ({ frame }),
};

function evaluate(kind: string, specs: Parameters, values: ParameterValues, context: Context): Evaluated {
  const result: Record<string, number | string> = {};
  for (const [name, spec] of Object.entries(specs)) {
    const value = values[name];
    if (spec.type !== "number") result[name] = value as string;
    else {
      const at = valueAt(value as never, context.time);
      result[name] = spec.spatial ? at * context.fraction : at;
    }
  }
  return TIMED[kind] ? { ...result, ...TIMED[kind](result, context) } : result;
}

function describe(parameters: Evaluated): string {
  return Object.entries(parameters)
    .map(([name, value]) => `${name}=${value}`)
    .join(";");
}

function windowText({ x, y, width, height }: Window): string {
  return `${x},${y},${width},${height}`;
}

function nodeKey(
  kind: string,
  version: number,
  text: string,
  window: Window,
  context: Context,
  inputs: readonly GraphNode[],
): ContentKey {
  const below = inputs.map((input) => input.key).join(",");
  return contentKey(`${kind}@${version}|${text}|${windowText(window)}|${context.settings.renderer}|${below}`);
}

function assetText(asset: Asset): string {
  if (asset.kind === "svg") return asset.text;
  return asset.kind === "sequence" ? asset.digest : asset.base64;
}

const NOTHING_KEY = contentKey("nothing");

const assetKeys = new WeakMap<Asset, ContentKey>();

function assetKey(asset: Asset): ContentKey {
  let key = assetKeys.get(asset);
  if (!key) {
    key = contentKey(assetText(asset));
    assetKeys.set(asset, key);
  }
  return key;
}

function canvas(size: { width: number; height: number }, fraction: number): Window {
  return { x: 0, y: 0, width: scaledSize(size.width, fraction), height: scaledSize(size.height, fraction) };
}

/** The frame of a clip that is on show; none before its first and after its last. */
function clipNode({ source, range }: Layer, owner: Composition, context: Context): GraphNode | null {
  const { document, fraction } = context;
  const id = source.parameters.asset as string;
  const clip = document.assets[id] as ClipAsset;
  const offset = Math.round(valueAt(source.parameters.offset as never, context.frame));
  const frame = convertFrame(context.frame - range.in, owner.rate, clip.rate) + offset;
  if (frame < 0 || frame >= clip.duration) return null;
  const window = canvas(clip, fraction);
  const text = `asset=${assetKey(clip)}|frame=${frame}|${fraction}`;
  const key = nodeKey("clip", SOURCES.clip.version, text, window, context, []);
  return { key, kind: "clip", parameters: { asset: id, frame }, fraction, window, inputs: [], layer: context.payer };
}

/** The picture of a sequence that is on show; none before its first, after its last and where there was no file. */
function sequenceNode({ source, range }: Layer, owner: Composition, context: Context): GraphNode | null {
  const asset = context.document.assets[source.parameters.asset as string] as SequenceAsset;
  const offset = Math.round(valueAt(source.parameters.offset as never, context.frame));
  const frame = convertFrame(context.frame - range.in, owner.rate, asset.rate) + offset;
  if (frame < 0 || frame >= asset.duration || asset.gaps.includes(frame)) return null;
  const text = `${assetKey(asset)}|frame=${frame}`;
  const stored = { ...asset, frames: asset.duration };
  return storedNode({ sequence: asset.sequence, frame }, text, stored, canvas(asset, context.fraction), context);
}

/** @param text names the picture @param stored size of the stored pictures, and how many there are */
function storedNode(
  { sequence, frame }: StoredFrame,
  text: string,
  { width, height, frames }: { readonly width: number; readonly height: number; readonly frames: number },
  window: Window,
  context: Context,
): GraphNode {
  const { fraction } = context;
  const key = nodeKey("sequence", SOURCES.sequence.version, text, window, context, []);
  const parameters = { sequence, frame, frames, width, height };
  return { key, kind: "sequence", parameters, fraction, window, inputs: [], layer: context.payer };
}

/** The stored picture that stands in for a branch, if one does. @param live the branch at given settings */
function bakedNode(
  target: BakeTarget,
  owner: Composition,
  context: Context,
  live: (context: Context) => GraphNode | null,
): GraphNode | undefined {
  const { bakes, frame } = context;
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
function bakedKey(node: GraphNode | null): ContentKey {
  return node?.key ?? NOTHING_KEY;
}

function sourceNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const { kind, parameters } = layer.source;
  const { document, fraction } = context;
  if (kind === "composition") {
    const nested = document.compositions[parameters.composition as string]!;
    const offset = Math.round(valueAt(parameters.offset as never, context.frame));
    const frame = convertFrame(context.frame - layer.range.in, owner.rate, nested.rate) + offset;
    if (frame < 0 || frame >= nested.duration) return null;
    return wholeNode(nested, { ...context, ...momentOf(frame, nested.rate) });
  }
  if (kind === "clip") return clipNode(layer, owner, context);
  if (kind === "sequence") return sequenceNode(layer, owner, context);
  const evaluated = evaluate(kind, SOURCES[kind].parameters, parameters, context);
  const asset = kind === "svg" || kind === "png" ? document.assets[parameters.asset as string]! : undefined;
  const window = canvas(asset ?? owner, fraction);
  const text = asset ? `asset=${assetKey(asset)}` : describe(evaluated);
  const key = nodeKey(kind, SOURCES[kind].version, `${text}|${fraction}`, window, context, []);
  return { key, kind, parameters: evaluated, fraction, window, inputs: [], layer: context.payer };
}

/** An effect's parameters as they are at a frame, at full size. */
export function parametersAt(
  document: Document,
  composition: Composition,
  { kind, parameters }: EffectInstance,
  frame: FrameNumber,
): Evaluated {
  return evaluate(
    kind,
    EFFECTS[kind].parameters,
    parameters,
    contextAt(document, composition, frame, FULL_QUALITY, NO_BAKES),
  );
}

/** How far an effect carries colour past its input, in pixels. */
export function spreadOf(kind: EffectKind, parameters: Evaluated): { readonly x: number; readonly y: number } {
  if (kind === "gaussianBlur" && parameters.edges === "transparent") {
    const reach = Math.ceil(1.5 * Number(parameters.radius)) + 3;
    return { x: reach, y: reach };
  }
  if (kind === "glow") {
    // Even, so that the half-size light stays aligned with the full-size pixels.
    const reach = 2 * Math.ceil(0.75 * Number(parameters.radius) + 3);
    return { x: reach, y: reach };
  }
  if (kind === "directionalBlur") {
    const angle = (Number(parameters.angle) * Math.PI) / 180;
    const half = Number(parameters.length) / 2;
    return { x: Math.ceil(Math.abs(Math.cos(angle)) * half) + 1, y: Math.ceil(Math.abs(Math.sin(angle)) * half) + 1 };
  }
  if (kind === "displacement" && parameters.edges === "transparent") {
    const reach = Math.ceil(Number(parameters.amount));
    return { x: reach, y: reach };
  }
  return { x: 0, y: 0 };
}

/** Whether an effect leaves its input as it is at these values. */
export function isNeutral(kind: EffectKind, parameters: Evaluated): boolean {
  switch (kind) {
    case "gaussianBlur":
      return Number(parameters.radius) < 0.05;
    case "directionalBlur":
      return Number(parameters.length) < 0.5;
    case "glow":
      return parameters.strength === 0;
    case "grain":
    case "displacement":
      return parameters.amount === 0;
    case "grade":
      return (
        parameters.exposure === 0 &&
        parameters.temperature === 0 &&
        parameters.tint === 0 &&
        parameters.contrast === 100 &&
        parameters.saturation === 100
      );
  }
}

function runs(effect: EffectInstance, { effects }: RenderSettings): boolean {
  if (!effect.enabled) return false;
  return effects === "All" || (effects === "Light only" && EFFECTS[effect.kind].weight === "light");
}

function effectNodes(source: GraphNode, layer: Layer, visible: Window | null, context: Context): GraphNode {
  const { settings } = context;
  const isOff = context.payer === layer.id && settings.effectsOff.includes(layer.id);
  const active = layer.effects
    .filter((effect) => !isOff && runs(effect, settings))
    .map(({ kind, parameters }) => ({
      kind,
      parameters: evaluate(kind, EFFECTS[kind].parameters, parameters, context),
    }))
    .filter(({ kind, parameters }) => !isNeutral(kind, parameters))
    .map((effect) => ({ ...effect, spread: spreadOf(effect.kind, effect.parameters) }));
  let node = source;
  active.forEach(({ kind, parameters, spread }, index) => {
    let window = grow(node.window, spread.x, spread.y);
    if (visible) {
      // What later effects cannot carry into the picture need not be rendered.
      const later = active.slice(index + 1);
      const reachX = later.reduce((sum, effect) => sum + effect.spread.x, 0);
      const reachY = later.reduce((sum, effect) => sum + effect.spread.y, 0);
      window = intersect(window, grow(visible, reachX, reachY));
    }
    const inputs = [node];
    const key = nodeKey(kind, EFFECTS[kind].version, describe(parameters), window, context, inputs);
    node = { key, kind, parameters, window, inputs, layer: context.payer };
  });
  return node;
}

/** @param inner size of the layer's own picture, where that differs from the size of what it is placed in */
function transformAt(transform: Transform, time: number, fraction: number, inner: number): Affine {
  const at = (value: Transform[keyof Transform]) => valueAt(value, time);
  const scale = (at(transform.scale) * fraction) / inner;
  const angle = (at(transform.rotation) * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle) * scale, Math.sin(angle) * scale];
  const [ax, ay] = [at(transform.anchorX) * inner, at(transform.anchorY) * inner];
  const [x, y] = [at(transform.x) * fraction, at(transform.y) * fraction];
  return [cos, -sin, x - cos * ax + sin * ay, sin, cos, y - sin * ax - cos * ay];
}

/** A layer's finished picture: one that another graph has too, what is baked of it, or live. */
function layerNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const { shared, frame, fraction, payer, document } = context;
  // What a nested composition shows depends on more than its layer.
  if (!shared || layer.source.kind === "composition") return ownLayerNode(layer, owner, context);
  const { id, width, height, rate } = owner;
  const name = [frame, fraction, payer, id, width, height, rate.numerator, rate.denominator].join("|");
  return shared.node(document.assets, layer, name, () => ownLayerNode(layer, owner, context));
}

function ownLayerNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const target = { composition: owner.id, layer: layer.id };
  return (
    bakedNode(target, owner, context, (at) => liveLayerNode(layer, owner, at)) ?? liveLayerNode(layer, owner, context)
  );
}

/** Moments in frames at which the shutter is sampled: in the middle of equal parts of its interval. */
export function shutterMoments(frame: FrameNumber, { shutter, samples }: MotionBlur): number[] {
  const length = shutter / 360;
  return Array.from({ length: samples }, (_, index) => frame + length * ((index + 0.5) / samples - 0.5));
}

function liveLayerNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  if (!layer.motionBlur.enabled || !context.settings.motionBlur) return sampleNode(layer, owner, context);
  const { samples } = layer.motionBlur;
  const distinct = new Map<ContentKey, { node: GraphNode; count: number }>();
  for (const time of shutterMoments(context.frame, layer.motionBlur)) {
    const node = sampleNode(layer, owner, { ...context, time, seconds: secondsAtFrame(time, owner.rate) });
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

/** The layer as it is at one moment. */
function sampleNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const { fraction, time } = context;
  const inner = fraction * NESTED_SIZES[(layer.source.parameters.rendered as string | undefined) ?? "100 %"]!;
  const within = inner === fraction ? context : { ...context, fraction: inner };
  const source = sourceNode(layer, owner, within);
  if (!source) return null;
  const picture = canvas(owner, fraction);
  const transform = transformAt(layer.transform, time, fraction, inner);
  if (isIdentity(transform)) return effectNodes(source, layer, picture, within);
  const node = effectNodes(source, layer, null, within);
  const window = intersect(mapWindow(node.window, transform), picture);
  if (isEmpty(window)) return null;
  const key = nodeKey("place", 1, transform.join(","), window, context, [node]);
  return { key, kind: "place", inverse: invert(transform), window, inputs: [node], layer: context.payer };
}

/** Layers that show at a frame, bottom to top. @param alone layers that are shown alone, if any is */
function showingLayers(composition: Composition, frame: FrameNumber, alone: readonly string[]): Layer[] {
  const solo = composition.layers.some(({ id, enabled }) => enabled && alone.includes(id));
  return composition.layers.filter(
    ({ id, enabled, range }) => enabled && (!solo || alone.includes(id)) && frame >= range.in && frame < range.out,
  );
}

function stackNode(composition: Composition, context: Context): GraphNode {
  const inputs: GraphNode[] = [];
  const placements: Placement[] = [];
  const alone = context.payer === null ? context.settings.solo : [];
  for (const layer of showingLayers(composition, context.frame, alone)) {
    const opacity = valueAt(layer.opacity, context.frame);
    if (opacity === 0) continue;
    const node = layerNode(layer, composition, { ...context, payer: context.payer ?? layer.id });
    if (!node || isEmpty(node.window)) continue;
    inputs.push(node);
    placements.push({ opacity, blend: BLEND_MODES.indexOf(layer.blend) });
  }
  return stackOf(inputs, placements, canvas(composition, context.fraction), context);
}

function stackOf(
  inputs: readonly GraphNode[],
  placements: readonly Placement[],
  window: Window,
  context: Context,
): GraphNode {
  const text = placements.map(({ opacity, blend }) => `${opacity}:${blend}`).join(";");
  const key = nodeKey("stack", 1, text, window, context, inputs);
  return { key, kind: "stack", placements, window, inputs, layer: context.payer };
}

/** A whole composition: what is baked of it, or its layers. */
function wholeNode(composition: Composition, context: Context): GraphNode {
  const live = (at: Context) => stackNode(composition, at);
  return bakedNode({ composition: composition.id }, composition, context, live) ?? live(context);
}

function momentOf(frame: FrameNumber, rate: Rate): Pick<Context, "frame" | "time" | "seconds"> {
  return { frame, time: frame, seconds: secondsAtFrame(frame, rate) };
}

function contextAt(
  document: Document,
  composition: Composition,
  frame: FrameNumber,
  settings: RenderSettings,
  bakes: Bakes,
): Context {
  if (frame < 0 || frame >= composition.duration) {
    throw new RangeError(
      `Frame ${frame} is outside ${composition.name}, which has frames 0 to ${composition.duration - 1}`,
    );
  }
  const { fraction } = settings;
  return { document, settings, bakes, fraction, ...momentOf(frame, composition.rate), payer: null };
}

function finished(root: GraphNode, depth: Depth): FrameGraph {
  return { root, key: contentKey(`frame|${depth}|${root.key}`), depth };
}

/**
 * The graph of one frame of the document's main composition.
 * @param shared gives and takes what graphs of other states of the document have too
 * @throws RangeError when the frame is outside the composition
 */
export function buildGraph(
  document: Document,
  frame: FrameNumber,
  settings: RenderSettings,
  bakes: Bakes = NO_BAKES,
  shared?: SharedLayers,
): FrameGraph {
  const composition = mainComposition(document);
  const context = { ...contextAt(document, composition, frame, settings, bakes), shared };
  return finished(wholeNode(composition, context), document.depth);
}

/** What one frame of a bake is made from. */
export interface BakeGraph extends FrameGraph {
  /** Key of the live branch, by which the bake is found again. */
  readonly liveKey: ContentKey;
}

/**
 * The graph of one frame of what is to be baked: at full quality, as large as its composition, and live all through.
 * @throws RangeError when there is no such composition or layer, or the frame is outside
 */
export function buildBakeGraph(
  document: Document,
  target: BakeTarget,
  frame: FrameNumber,
  how: Pick<RenderSettings, "fraction" | "renderer"> & { readonly depth: Depth },
): BakeGraph {
  const composition = document.compositions[target.composition];
  if (!composition) throw new RangeError(`There is no composition "${target.composition}"`);
  const { fraction, renderer, depth } = how;
  const context = contextAt(document, composition, frame, { ...FULL_QUALITY, fraction, renderer }, NO_BAKES);
  if (target.layer === undefined) {
    const root = stackNode(composition, context);
    return { ...finished(root, depth), liveKey: bakedKey(root) };
  }
  const layer = composition.layers.find(({ id }) => id === target.layer);
  if (!layer) throw new RangeError(`${composition.name} has no layer "${target.layer}"`);
  const isShowing = frame >= layer.range.in && frame < layer.range.out;
  const branch = isShowing ? liveLayerNode(layer, composition, { ...context, payer: layer.id }) : null;
  const inputs = branch && !isEmpty(branch.window) ? [branch] : [];
  const placements = inputs.map(() => ({ opacity: 1, blend: BLEND_MODES.indexOf("normal") }));
  const root = stackOf(inputs, placements, canvas(composition, fraction), context);
  return { ...finished(root, depth), liveKey: bakedKey(branch) };
}

/**
 * Keys of the nodes that a frame shares with the frame after it (or before it, for the last): branches that
 * stay still, which are rendered once and then held. Their cost is not the frame's own.
 * @param graphOf where the caller knows graphs already
 */
export function stillKeys(
  document: Document,
  frame: FrameNumber,
  settings: RenderSettings,
  bakes: Bakes = NO_BAKES,
  graphOf = (of: FrameNumber): FrameGraph => buildGraph(document, of, settings, bakes),
): ReadonlySet<ContentKey> {
  const { duration } = mainComposition(document);
  const neighbour = frame + 1 < duration ? frame + 1 : frame - 1;
  if (neighbour < 0) return new Set();
  return new Set(inOrder(graphOf(neighbour).root).map((node) => node.key));
}

/** Key of one finished frame. */
export function frameKey(document: Document, frame: FrameNumber, settings: RenderSettings): ContentKey {
  return buildGraph(document, frame, settings).key;
}
