import {
  BLEND_MODES,
  convertFrame,
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
  type Parameters,
  type ParameterValues,
  type Seconds,
  type Transform,
} from "../composition";
import { contentKey, type ContentKey } from "./key";
import { inOrder, type Evaluated, type GraphNode, type Placement } from "./node";
import {
  grow,
  intersect,
  invert,
  isEmpty,
  isIdentity,
  mapWindow,
  scaledSize,
  type Affine,
  type Window,
} from "./window";

/** Which effects the preview runs. */
export const EFFECT_MODES = ["All", "Light only", "None"] as const;
export type EffectMode = (typeof EFFECT_MODES)[number];

/** Renderers whose pixels differ slightly have different names, and so different keys. */
export const RENDERER_CLASSES = ["cpu-1", "gpu-1"] as const;
export type RendererClass = (typeof RENDERER_CLASSES)[number];

/** What decides the pixels of a frame beside the document. */
export interface RenderSettings {
  /** Edge length of the preview against the composition: 1, 1/2, 1/3 or 1/4. */
  readonly fraction: number;
  readonly effects: EffectMode;
  readonly renderer: RendererClass;
}

/** Full quality, as every output uses. */
export const FULL_QUALITY: RenderSettings = { fraction: 1, effects: "All", renderer: "cpu-1" };

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
  readonly frame: FrameNumber;
  readonly seconds: Seconds;
  /** Layer of the main composition that pays; null at the top. */
  readonly payer: string | null;
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
      const at = valueAt(value as never, context.frame);
      result[name] = spec.spatial ? at * context.settings.fraction : at;
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

const assetKeys = new WeakMap<Asset, ContentKey>();

function assetKey(asset: Asset): ContentKey {
  let key = assetKeys.get(asset);
  if (!key) {
    key = contentKey(asset.kind === "svg" ? asset.text : asset.base64);
    assetKeys.set(asset, key);
  }
  return key;
}

function canvas(size: { width: number; height: number }, fraction: number): Window {
  return { x: 0, y: 0, width: scaledSize(size.width, fraction), height: scaledSize(size.height, fraction) };
}

/** The frame of a clip that is on show; none before its first and after its last. */
function clipNode({ source, range }: Layer, owner: Composition, context: Context): GraphNode | null {
  const { document, settings } = context;
  const id = source.parameters.asset as string;
  const clip = document.assets[id] as ClipAsset;
  const offset = Math.round(valueAt(source.parameters.offset as never, context.frame));
  const frame = convertFrame(context.frame - range.in, owner.rate, clip.rate) + offset;
  if (frame < 0 || frame >= clip.duration) return null;
  const window = canvas(clip, settings.fraction);
  const text = `asset=${assetKey(clip)}|frame=${frame}|${settings.fraction}`;
  const key = nodeKey("clip", SOURCES.clip.version, text, window, context, []);
  const { fraction } = settings;
  return { key, kind: "clip", parameters: { asset: id, frame }, fraction, window, inputs: [], layer: context.payer };
}

function sourceNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const { kind, parameters } = layer.source;
  const { document, settings } = context;
  if (kind === "composition") {
    const nested = document.compositions[parameters.composition as string]!;
    const offset = Math.round(valueAt(parameters.offset as never, context.frame));
    const frame = convertFrame(context.frame - layer.range.in, owner.rate, nested.rate) + offset;
    if (frame < 0 || frame >= nested.duration) return null;
    return stackNode(nested, { ...context, frame, seconds: secondsAtFrame(frame, nested.rate) });
  }
  if (kind === "clip") return clipNode(layer, owner, context);
  const evaluated = evaluate(kind, SOURCES[kind].parameters, parameters, context);
  const asset = kind === "svg" || kind === "png" ? document.assets[parameters.asset as string]! : undefined;
  const window = canvas(asset ?? owner, settings.fraction);
  const text = asset ? `asset=${assetKey(asset)}` : describe(evaluated);
  const key = nodeKey(kind, SOURCES[kind].version, `${text}|${settings.fraction}`, window, context, []);
  return { key, kind, parameters: evaluated, fraction: settings.fraction, window, inputs: [], layer: context.payer };
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

function runs(effect: EffectInstance, mode: EffectMode): boolean {
  return effect.enabled && (mode === "All" || (mode === "Light only" && EFFECTS[effect.kind].weight === "light"));
}

function effectNodes(source: GraphNode, layer: Layer, visible: Window | null, context: Context): GraphNode {
  const active = layer.effects
    .filter((effect) => runs(effect, context.settings.effects))
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

function transformAt(transform: Transform, frame: FrameNumber, fraction: number): Affine {
  const at = (value: Transform[keyof Transform]) => valueAt(value, frame);
  const scale = at(transform.scale);
  const angle = (at(transform.rotation) * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle) * scale, Math.sin(angle) * scale];
  const [ax, ay] = [at(transform.anchorX) * fraction, at(transform.anchorY) * fraction];
  const [x, y] = [at(transform.x) * fraction, at(transform.y) * fraction];
  return [cos, -sin, x - cos * ax + sin * ay, sin, cos, y - sin * ax - cos * ay];
}

function layerNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const source = sourceNode(layer, owner, context);
  if (!source) return null;
  const { fraction } = context.settings;
  const picture = canvas(owner, fraction);
  const transform = transformAt(layer.transform, context.frame, fraction);
  if (isIdentity(transform)) return effectNodes(source, layer, picture, context);
  const node = effectNodes(source, layer, null, context);
  const window = intersect(mapWindow(node.window, transform), picture);
  if (isEmpty(window)) return null;
  const key = nodeKey("place", 1, transform.join(","), window, context, [node]);
  return { key, kind: "place", inverse: invert(transform), window, inputs: [node], layer: context.payer };
}

/** Layers that show at a frame, bottom to top. */
export function showingLayers(composition: Composition, frame: FrameNumber): Layer[] {
  const solo = composition.layers.some((layer) => layer.solo && layer.enabled);
  return composition.layers.filter(
    (layer) => layer.enabled && (!solo || layer.solo) && frame >= layer.range.in && frame < layer.range.out,
  );
}

function stackNode(composition: Composition, context: Context): GraphNode {
  const inputs: GraphNode[] = [];
  const placements: Placement[] = [];
  for (const layer of showingLayers(composition, context.frame)) {
    const opacity = valueAt(layer.opacity, context.frame);
    if (opacity === 0) continue;
    const node = layerNode(layer, composition, { ...context, payer: context.payer ?? layer.id });
    if (!node || isEmpty(node.window)) continue;
    inputs.push(node);
    placements.push({ opacity, blend: BLEND_MODES.indexOf(layer.blend) });
  }
  const window = canvas(composition, context.settings.fraction);
  const text = placements.map(({ opacity, blend }) => `${opacity}:${blend}`).join(";");
  const key = nodeKey("stack", 1, text, window, context, inputs);
  return { key, kind: "stack", placements, window, inputs, layer: context.payer };
}

/**
 * The graph of one frame of the document's main composition.
 * @throws RangeError when the frame is outside the composition
 */
export function buildGraph(document: Document, frame: FrameNumber, settings: RenderSettings): FrameGraph {
  const composition = document.compositions[document.main]!;
  if (frame < 0 || frame >= composition.duration) {
    throw new RangeError(
      `Frame ${frame} is outside ${composition.name}, which has frames 0 to ${composition.duration - 1}`,
    );
  }
  const context: Context = { document, settings, frame, seconds: secondsAtFrame(frame, composition.rate), payer: null };
  const root = stackNode(composition, context);
  return { root, key: contentKey(`frame|${document.depth}|${root.key}`), depth: document.depth };
}

/**
 * Keys of the nodes that a frame shares with the frame after it (or before it, for the last): branches that
 * stay still, which are rendered once and then held. Their cost is not the frame's own.
 */
export function stillKeys(document: Document, frame: FrameNumber, settings: RenderSettings): ReadonlySet<ContentKey> {
  const { duration } = document.compositions[document.main]!;
  const neighbour = frame + 1 < duration ? frame + 1 : frame - 1;
  if (neighbour < 0) return new Set();
  return new Set(inOrder(buildGraph(document, neighbour, settings).root).map((node) => node.key));
}

/** Key of one finished frame. */
export function frameKey(document: Document, frame: FrameNumber, settings: RenderSettings): ContentKey {
  return buildGraph(document, frame, settings).key;
}
