import {
  mainComposition,
  valueAt,
  type Animated,
  type Composition,
  type Document,
  type Edit,
  type EffectInstance,
  type FrameNumber,
  type Layer,
  type Milliseconds,
} from "../composition";
import { effectOf, INVISIBLE, NESTED_SIZES, sourceOf, type Evaluated } from "../drawing";
import {
  buildGraph,
  FULL_QUALITY,
  inOrder,
  parametersAt,
  stillKeys,
  type Bakes,
  type GraphNode,
  type RenderSettings,
} from "../graph";
import type { CostModel } from "../render";

export const WASTE_KINDS = [
  "covered",
  "outside",
  "transparent",
  "trimmed",
  "off here, shown there",
  "effect without result",
  "nested too large",
] as const;
export type WasteKind = (typeof WASTE_KINDS)[number];

/** A layer, or an effect of one, that takes time and shows nothing of it. */
export interface Waste {
  readonly kind: WasteKind;
  readonly layer: string;
  readonly effect?: string;
  /** Why, in words. */
  readonly reason: string;
  /** What it takes of an average frame, by estimate; 0 where the renderer leaves it out by itself. */
  readonly costMs: Milliseconds;
  /** What takes it away; one edit, which can be undone. */
  readonly remedy: Edit;
}

/** What the search goes by. */
export interface WasteContext {
  readonly settings: RenderSettings;
  readonly bakes: Bakes;
  readonly model: CostModel;
}

// Frames that are looked at, spread over the composition.
const SAMPLES = 24;

/** Everything in the open variant that costs time, or may come to, and shows nothing; the costliest first. */
export function findWaste(document: Document, context: WasteContext): Waste[] {
  const main = mainComposition(document);
  const frames = samplesOf(main.duration);
  const costs = new LayerCosts(document, frames, context);
  const found: Waste[] = [];
  for (const [index, layer] of main.layers.entries()) {
    const hidden = hiddenReason(document, main, layer, index, frames);
    if (hidden) {
      found.push({ ...hidden, layer: layer.id, costMs: costs.of(layer.id) });
      continue;
    }
    if (!layer.enabled) {
      found.push(...shownElsewhere(main, layer, costs));
      continue;
    }
    found.push(...effectsWithoutResult(document, main, layer, frames, costs));
    const large = nestedTooLarge(document, layer, frames, costs);
    if (large) found.push(large);
  }
  return found.sort((a, b) => b.costMs - a.costMs);
}

function samplesOf(duration: number): FrameNumber[] {
  const count = Math.min(SAMPLES, duration);
  return Array.from({ length: count }, (_, index) => Math.floor(((index + 0.5) * duration) / count));
}

/** Estimated costs of layers and of their parts, as a mean over all frames. */
class LayerCosts {
  private readonly nodes: readonly { readonly node: GraphNode; readonly ms: Milliseconds }[];

  constructor(
    document: Document,
    private readonly frames: readonly FrameNumber[],
    { settings, bakes, model }: WasteContext,
  ) {
    this.nodes = frames.flatMap((frame) => {
      const { root } = buildGraph(document, frame, settings, bakes);
      const still = stillKeys(document, frame, settings, bakes);
      return inOrder(root)
        .filter(({ key }) => !still.has(key))
        .map((node) => ({ node, ms: model.estimate(node) ?? 0 }));
    });
  }

  of(layer: string, which: (node: GraphNode) => boolean = () => true): Milliseconds {
    let sum = 0;
    for (const { node, ms } of this.nodes) if (node.layer === layer && which(node)) sum += ms;
    return sum / this.frames.length;
  }
}

/** Why a layer shows nothing on any frame, if it does not. */
function hiddenReason(
  document: Document,
  main: Composition,
  layer: Layer,
  index: number,
  frames: readonly FrameNumber[],
): Pick<Waste, "kind" | "reason" | "remedy"> | undefined {
  if (!layer.enabled) return undefined;
  const off: Edit = { kind: "layerEnabled", layer: layer.id, enabled: false };
  const { range } = layer;
  if (range.in >= main.duration)
    return { kind: "trimmed", reason: `It begins at frame ${range.in}, after the composition's end`, remedy: off };
  if (range.out <= 0)
    return { kind: "trimmed", reason: `It ends at frame ${range.out - 1}, before the composition begins`, remedy: off };
  if (isClear(layer)) return { kind: "transparent", reason: "It is transparent on every frame", remedy: off };
  const showing = [...new Set([...frames, Math.max(0, range.in), Math.min(range.out, main.duration) - 1])].filter(
    (frame) => frame >= range.in && frame < range.out,
  );
  const quality = { ...FULL_QUALITY, fraction: 1 / 4 };
  const isOutside = (frame: FrameNumber) => {
    const alone = { ...quality, solo: [layer.id] };
    return buildGraph(document, frame, alone).root.inputs.length === 0 && opacityAt(layer, frame) > 0;
  };
  if (showing.every(isOutside))
    return { kind: "outside", reason: "It lies outside the picture on every frame", remedy: off };
  const above = main.layers.slice(index + 1);
  const coverAt = (frame: FrameNumber) => above.find((other) => isOpaqueOver(document, main, other, frame));
  const covers = showing.map(coverAt);
  const [cover] = covers;
  if (cover && covers.every(Boolean)) {
    const names = [...new Set(covers.map((one) => one!.name))].join(", ");
    return { kind: "covered", reason: `${names} covers all of it on every frame`, remedy: off };
  }
  if (range.out > main.duration)
    return {
      kind: "trimmed",
      reason: `${range.out - main.duration} of its frames lie after the composition's end`,
      remedy: { kind: "layerRange", layer: layer.id, range: { in: range.in, out: main.duration } },
    };
  return undefined;
}

function opacityAt(layer: Layer, frame: FrameNumber): number {
  return valueAt(layer.opacity, frame);
}

function valuesOf(animated: Animated): readonly number[] {
  return typeof animated === "number" ? [animated] : animated.keyframes.map(({ value }) => value);
}

/** Whether a layer lets everything through, whatever the frame. */
function isClear({ opacity, source }: Layer): boolean {
  if (valuesOf(opacity).every((value) => value < INVISIBLE)) return true;
  const names = opacitiesOf(source);
  if (!names || names.length === 0) return false;
  return names.every((name) => valuesOf(source.parameters[name] as Animated).every((value) => value / 100 < INVISIBLE));
}

/** Parameters that alone decide how opaque a source is, if there are such. */
function opacitiesOf({ kind }: Layer["source"]): readonly string[] | undefined {
  return kind === "composition" ? undefined : sourceOf(kind).opacities;
}

/** Whether nothing below a layer shows at a frame. Only what is certain counts. */
function isOpaqueOver(document: Document, owner: Composition, layer: Layer, frame: FrameNumber): boolean {
  const { enabled, range, start, blend, transform, effects, source } = layer;
  if (!enabled || blend !== "normal" || frame < range.in || frame >= range.out) return false;
  if (opacityAt(layer, frame) < 1 || layer.motionBlur.enabled) return false;
  if (effects.some(({ enabled, kind, parameters }) => enabled && !effectOf(kind).keepsOpaque?.(parameters)))
    return false;
  if (!coversCanvas(transform, sizeOf(document, owner, layer), owner, frame)) return false;
  if (source.kind !== "composition") {
    const names = opacitiesOf(source);
    return names?.every((name) => valueAt(source.parameters[name] as Animated, frame) >= 100) ?? false;
  }
  const nested = document.compositions[source.parameters.composition as string]!;
  const inner = frame - start + Math.round(valueAt(source.parameters.offset as Animated, frame));
  if (inner < 0 || inner >= nested.duration || nested.rate.numerator !== owner.rate.numerator) return false;
  return nested.layers.some((one) => isOpaqueOver(document, nested, one, inner));
}

function sizeOf(document: Document, owner: Composition, { source }: Layer): { width: number; height: number } {
  if (source.kind !== "composition") return owner;
  return document.compositions[source.parameters.composition as string]!;
}

/** Whether a picture of a size covers its composition when it is neither turned nor moved too far. */
function coversCanvas(
  transform: Layer["transform"],
  { width, height }: { readonly width: number; readonly height: number },
  owner: Composition,
  frame: FrameNumber,
): boolean {
  const at = (value: Animated) => valueAt(value, frame);
  if (at(transform.rotation) !== 0) return false;
  const scale = at(transform.scale);
  const left = at(transform.x) - at(transform.anchorX) * scale;
  const top = at(transform.y) - at(transform.anchorY) * scale;
  return left <= 0 && top <= 0 && left + width * scale >= owner.width && top + height * scale >= owner.height;
}

/** A composition that was switched off in one layer and is rendered for another. */
function shownElsewhere(main: Composition, layer: Layer, costs: LayerCosts): Waste[] {
  if (layer.source.kind !== "composition") return [];
  const nested = layer.source.parameters.composition;
  return main.layers
    .filter(
      ({ enabled, source }) => enabled && source.kind === "composition" && source.parameters.composition === nested,
    )
    .map((other) => ({
      kind: "off here, shown there" as const,
      layer: other.id,
      reason: `${layer.name} is switched off, but ${other.name} renders the same composition`,
      costMs: costs.of(other.id),
      remedy: { kind: "layerEnabled" as const, layer: other.id, enabled: false },
    }));
}

/** Effects that change nothing that can be seen, on any frame. */
function effectsWithoutResult(
  document: Document,
  main: Composition,
  layer: Layer,
  frames: readonly FrameNumber[],
  costs: LayerCosts,
): Waste[] {
  const showing = frames.filter((frame) => frame >= layer.range.in && frame < layer.range.out);
  return layer.effects.flatMap((effect): Waste[] => {
    if (!effect.enabled || showing.length === 0) return [];
    const reason = withoutResult(document, main, layer, effect, showing);
    if (reason === undefined) return [];
    const isFirstOfKind = layer.effects.filter(({ kind, enabled }) => enabled && kind === effect.kind).length === 1;
    return [
      {
        kind: "effect without result",
        layer: layer.id,
        effect: effect.id,
        reason,
        // Of several of a kind it is not known which node is which.
        costMs: isFirstOfKind ? costs.of(layer.id, ({ kind }) => kind === effect.kind) : 0,
        remedy: { kind: "effectEnabled", layer: layer.id, effect: effect.id, enabled: false },
      },
    ];
  });
}

function withoutResult(
  document: Document,
  main: Composition,
  layer: Layer,
  effect: EffectInstance,
  frames: readonly FrameNumber[],
): string | undefined {
  const parametersOf = (frame: FrameNumber) => parametersAt(document, main, effect, frame);
  const { isNeutral, isInvisible, keepsPlain } = effectOf(effect.kind);
  const always = (holds: ((parameters: Evaluated) => boolean) | undefined) =>
    holds !== undefined && frames.every((frame) => holds(parametersOf(frame)));
  if (always(isNeutral)) return "At its present values it changes nothing";
  const isPlain = layer.source.kind === "solid" && layer.effects[0] === effect;
  if (isPlain && always(keepsPlain)) return "One plain colour looks the same afterwards";
  return always(isInvisible) ? "It is weaker than a step of 8-bit" : undefined;
}

/** A nested composition that is rendered with more pixels than are seen of it. */
function nestedTooLarge(
  document: Document,
  layer: Layer,
  frames: readonly FrameNumber[],
  costs: LayerCosts,
): Waste | undefined {
  const { source, transform } = layer;
  if (source.kind !== "composition") return undefined;
  const present = NESTED_SIZES[source.parameters.rendered as string]!;
  const scales = [...frames.map((frame) => valueAt(transform.scale, frame)), ...valuesOf(transform.scale)];
  const seen = Math.max(...scales);
  const fitting = Object.entries(NESTED_SIZES).filter(([, size]) => size >= seen - 1e-9 && size < present);
  const [best] = fitting.sort(([, a], [, b]) => a - b);
  if (!best) return undefined;
  const [name, size] = best;
  const { width, height } = document.compositions[source.parameters.composition as string]!;
  const shown = `${Math.ceil(width * seen)}×${Math.ceil(height * seen)}`;
  const share = 1 - (size / present) ** 2;
  return {
    kind: "nested too large",
    layer: layer.id,
    reason: `Rendered at ${Math.ceil(width * present)}×${Math.ceil(height * present)}, seen at most at ${shown}`,
    costMs: costs.of(layer.id, ({ kind }) => kind !== "place") * share,
    remedy: { kind: "sourceParameter", layer: layer.id, name: "rendered", value: name },
  };
}
