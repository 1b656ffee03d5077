import { isLayerByLayer, mainComposition, type Document, type FrameNumber } from "../composition";
import { buildBakeGraph, storedFrameName, type Bake, type BakeTarget } from "../graph";

/** How a bake stands against what lies underneath. */
export type BakeState =
  /** Interrupted; it is never played. */
  | { readonly kind: "part" }
  | { readonly kind: "off" }
  /** What was baked no longer exists. */
  | { readonly kind: "without target" }
  /** A nested composition that is blended layer by layer: no picture of it is shown. */
  | { readonly kind: "layer by layer" }
  | {
      readonly kind: "in use";
      /** Frames that were looked at: all of them, or some spread evenly over a long range. */
      readonly frames: number;
      /** Of these, frames of which the branch has changed since. */
      readonly outdated: number;
      readonly unreadable: number;
    };

// A look at a frame costs about 0.2 ms.
const MOST_FRAMES = 600;

/** @param unreadable names of stored frames that are missing or altered */
export function bakeState(document: Document, bake: Bake, unreadable: ReadonlySet<string> = new Set()): BakeState {
  if (!bake.complete) return { kind: "part" };
  if (!hasTarget(document, bake.target)) return { kind: "without target" };
  if (!bake.enabled) return { kind: "off" };
  const { composition, layer } = bake.target;
  const target = document.compositions[composition]!.layers.find(({ id }) => id === layer);
  if (target && isLayerByLayer(target)) return { kind: "layer by layer" };
  const length = bake.range.out - bake.range.in;
  const frames = Math.min(length, MOST_FRAMES);
  let outdated = 0;
  for (let index = 0; index < frames; index++) {
    const at = Math.floor((index * length) / frames);
    if (liveKeyOf(document, bake, bake.range.in + at) !== bake.keys[at]) outdated++;
  }
  let unreadableFrames = 0;
  if (unreadable.size > 0)
    for (let frame = 0; frame < length; frame++)
      if (unreadable.has(storedFrameName({ sequence: bake.sequence, frame }))) unreadableFrames++;
  return { kind: "in use", frames, outdated, unreadable: unreadableFrames };
}

function liveKeyOf(document: Document, bake: Bake, frame: FrameNumber): string | undefined {
  const { duration } = document.compositions[bake.target.composition]!;
  return frame < duration ? buildBakeGraph(document, bake.target, frame, bake).liveKey : undefined;
}

function hasTarget({ compositions }: Document, { composition, layer }: BakeTarget): boolean {
  const found = compositions[composition];
  return found !== undefined && (layer === undefined || found.layers.some(({ id }) => id === layer));
}

/** What can be baked of the open variant: its layers, what is nested in it, and the whole. */
export interface BakeChoice {
  readonly target: BakeTarget;
  readonly name: string;
  readonly kind: "layer" | "nested composition" | "whole";
}

/** From the top layer down, nested compositions after the layers, the whole last; only what is one picture. */
export function bakeChoices(document: Document): BakeChoice[] {
  const main = mainComposition(document);
  const layers = [...main.layers]
    .reverse()
    .filter((layer) => !isLayerByLayer(layer))
    .map(({ id, name }): BakeChoice => ({ target: { composition: main.id, layer: id }, name, kind: "layer" }));
  const nested = new Set<string>();
  const seen = new Set<string>();
  const visit = (id: string) => {
    for (const layer of document.compositions[id]!.layers) {
      const { source } = layer;
      if (source.kind !== "composition") continue;
      const inner = source.parameters.composition as string;
      if (seen.has(inner)) continue;
      seen.add(inner);
      if (!isLayerByLayer(layer)) nested.add(inner);
      visit(inner);
    }
  };
  visit(main.id);
  return [
    ...layers,
    ...[...nested].map((id): BakeChoice => ({
      target: { composition: id },
      name: document.compositions[id]!.name,
      kind: "nested composition",
    })),
    { target: { composition: main.id }, name: main.name, kind: "whole" },
  ];
}
