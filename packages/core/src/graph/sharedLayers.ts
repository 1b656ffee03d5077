import { nestedIn, type Animated, type Composition, type Document, type Layer } from "../composition";
import { effectOf, SOURCES } from "../drawing";
import type { Context } from "./context";
import { running } from "./effectNodes";
import type { GraphNode } from "./node";
import type { RenderSettings } from "./settings";

type BuildLayer = (layer: Layer, owner: Composition, context: Context) => GraphNode | null;

/** The finished layer on each frame, as far as it is known; on frame 0 where it is the same on all. */
interface Slot {
  readonly isStill: boolean;
  readonly nodes: (GraphNode | null | undefined)[];
}

/** Where slots are found again without naming them. */
interface Place {
  readonly document: Document;
  readonly settings: RenderSettings;
  readonly fraction: number;
  readonly owner: Composition;
}

/**
 * Layers' nodes that graphs have in common, without what lies below them: for graphs of which only the key is asked.
 * States of one document differ in a layer or two, frames and settings of one state in what moves and what is set. All
 * graphs have the same bakes. A layer, a composition and the assets are the same when they are one object.
 */
export class SharedLayers {
  private readonly slots = new WeakMap<Layer, Map<string, Slot>>();
  private readonly numbers = new WeakMap<object, number>();
  private nextNumber = 0;
  /** Slots of the layers of the composition that was gone through last. */
  private place: Place | undefined;
  private known = new Map<Layer, Slot>();
  private readonly placed = new WeakMap<Document, Map<string, Map<Layer, Slot>>>();

  node(layer: Layer, owner: Composition, context: Context, build: BuildLayer): GraphNode | null {
    const { nodes, isStill } = this.slotOf(layer, owner, context);
    const at = isStill ? 0 : context.frame;
    const known = nodes[at];
    if (known !== undefined) return known;
    const made = build(layer, owner, context);
    nodes[at] = made && { ...made, inputs: [] };
    return made;
  }

  private slotOf(layer: Layer, owner: Composition, context: Context): Slot {
    this.goTo(owner, context);
    const known = this.known.get(layer);
    if (known) return known;
    const names = entry(this.slots, layer, () => new Map<string, Slot>());
    const name = this.nameOf(layer, owner, context);
    const isStill = context.bakes.list.length === 0 && isStillLayer(layer);
    const slot = names.get(name) ?? { isStill, nodes: [] };
    names.set(name, slot);
    this.known.set(layer, slot);
    return slot;
  }

  private goTo(owner: Composition, { document, settings, fraction }: Context): void {
    const { place } = this;
    if (
      place?.document === document &&
      place.settings === settings &&
      place.fraction === fraction &&
      place.owner === owner
    )
      return;
    this.place = { document, settings, fraction, owner };
    const byPlace = entry(this.placed, document, () => new Map<string, Map<Layer, Slot>>());
    const name = `${this.numberOf(settings)}|${fraction}|${this.numberOf(owner)}`;
    this.known = byPlace.get(name) ?? new Map<Layer, Slot>();
    byPlace.set(name, this.known);
  }

  /** What decides the node beside the layer and the frame. */
  private nameOf(layer: Layer, owner: Composition, context: Context): string {
    const { fraction, settings, document } = context;
    const { id, width, height, rate } = owner;
    const own = `${this.numberOf(document.assets)}|${fraction}|${settings.renderer}|${id}|${width}|${height}|${rate.numerator}|${rate.denominator}`;
    const { kind, parameters } = layer.source;
    if (kind === "composition") {
      const within = nestedIn(document, parameters.composition as string).map((one) =>
        this.numberOf(document.compositions[one]!),
      );
      return `${own}|${settings.effects}|${settings.motionBlur}|${settings.effectsOff.join()}|${within.join()}`;
    }
    const effects = running(layer, { ...context, topLayer: context.topLayer ?? layer.id }).map((effect) => effect.id);
    return `${own}|${effects.join()}|${layer.motionBlur.enabled && settings.motionBlur}`;
  }

  private numberOf(part: object): number {
    return entry(this.numbers, part, () => this.nextNumber++);
  }
}

/** Whether a layer looks the same on every frame that it shows on, for certain. */
function isStillLayer({ source, effects, transform }: Layer): boolean {
  const { kind, parameters } = source;
  if (kind === "composition" || kind === "clip" || kind === "sequence" || "timed" in SOURCES[kind]) return false;
  if (effects.some((effect) => effectOf(effect.kind).timed)) return false;
  const values = [parameters, transform, ...effects.map((effect) => effect.parameters)].flatMap((one) =>
    Object.values<Animated | string>({ ...one }),
  );
  return values.every((value) => typeof value !== "object");
}

function entry<K extends object, V>(map: WeakMap<K, V>, key: K, make: () => V): V {
  const known = map.get(key);
  if (known !== undefined) return known;
  const made = make();
  map.set(key, made);
  return made;
}
