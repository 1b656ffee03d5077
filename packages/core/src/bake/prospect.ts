import { mainComposition, type Document, type FrameNumber } from "../composition";
import { Bakes, buildGraph, inOrder, stillKeys, type Bake, type BakeTarget, type RenderSettings } from "../graph";
import type { CostModel } from "../render";
import { bakeChoices } from "./state";

/** A target as it would be played if it were baked; its pictures are stored under `id`. */
export function asIfBaked(
  document: Document,
  target: BakeTarget,
  how: Pick<Bake, "fraction" | "depth" | "packed">,
  id: string,
): Bake {
  const range = { in: 0, out: document.compositions[target.composition]!.duration };
  return {
    id,
    target,
    range,
    ...how,
    renderer: "cpu-1",
    location: "",
    sequence: id,
    keys: Array.from({ length: range.out }, (_, frame) => `${id}:${frame}`),
    complete: true,
    enabled: true,
    // Played whatever lies underneath.
    locked: true,
  };
}

/** What baking a target leaves to be rendered. */
export interface Prospect {
  readonly target: BakeTarget;
  /** Targets that show it: with one of these baked it need not be. */
  readonly within: readonly BakeTarget[];
  /** Share of what each sampled frame costs that remains, without reading what is baked; 0 to 1. */
  readonly rest: readonly number[];
}

// Only the heaviest layers are looked at, and so many nested compositions.
const MOST_LAYERS = 8;
const MOST_NESTED = 4;

/**
 * What is left of the costs of some frames with each target baked that is not baked already, by the cost model. Pauses
 * after each frame.
 * @param layerMs what a layer of the main composition costs over the frames
 */
export function* bakeProspects(
  document: Document,
  settings: RenderSettings,
  bakes: Bakes,
  frames: readonly FrameNumber[],
  model: CostModel,
  layerMs: (layer: string) => number,
): Generator<undefined, Prospect[]> {
  const targets = targetsOf(document, bakes, layerMs);
  const trial = targets.map((target) =>
    asIfBaked(document, target, { fraction: settings.fraction, depth: document.depth, packed: true }, "as if baked"),
  );
  const rest = targets.map((): number[] => []);
  for (const frame of frames) {
    const still = stillKeys(document, frame, settings, bakes);
    const live = model.estimateFrame(buildGraph(document, frame, settings, bakes).root, still).total;
    for (const [index, bake] of trial.entries()) {
      const { root } = buildGraph(document, frame, settings, new Bakes([...bakes.list, bake], bakes.unreadable));
      const read = inOrder(root).flatMap((node) =>
        node.kind === "sequence" && node.parameters.sequence === bake.sequence ? [node.key] : [],
      );
      const left = model.estimateFrame(root, new Set([...still, ...read])).total;
      rest[index]!.push(live > 0 ? Math.min(1, left / live) : 1);
    }
    yield;
  }
  return targets.map((target, index) => ({ target, within: showing(document, target), rest: rest[index]! }));
}

function targetsOf(document: Document, { list }: Bakes, layerMs: (layer: string) => number): BakeTarget[] {
  const { id, layers } = mainComposition(document);
  const isBaked = ({ composition, layer }: BakeTarget) =>
    list.some(
      ({ target, enabled, complete }) =>
        enabled && complete && target.layer === layer && (layer !== undefined || target.composition === composition),
    );
  const enabled = new Set(layers.flatMap((layer) => (layer.enabled ? [layer.id] : [])));
  const choices = bakeChoices(document).flatMap(({ target, kind }) => (isBaked(target) ? [] : [{ target, kind }]));
  const heavy = choices
    .flatMap(({ target }) => (target.layer !== undefined && enabled.has(target.layer) ? [target] : []))
    .sort((a, b) => layerMs(b.layer!) - layerMs(a.layer!));
  const nested = choices.flatMap(({ target, kind }) => (kind === "nested composition" ? [target] : []));
  return [
    ...heavy.slice(0, MOST_LAYERS),
    ...nested.slice(0, MOST_NESTED),
    ...choices.flatMap(({ target }) => (target.composition === id && target.layer === undefined ? [target] : [])),
  ];
}

/** Layers of the main composition, and nested compositions, that show a nested one, whether directly or not. */
function showing(document: Document, { composition, layer }: BakeTarget): BakeTarget[] {
  const main = mainComposition(document);
  if (layer !== undefined || composition === main.id) return [];
  const shows = (id: string): boolean =>
    id === composition ||
    document.compositions[id]!.layers.some(
      ({ source }) => source.kind === "composition" && shows(source.parameters.composition as string),
    );
  const above = Object.keys(document.compositions).filter((id) => id !== main.id && id !== composition && shows(id));
  const layers = main.layers.filter(
    ({ source }) => source.kind === "composition" && shows(source.parameters.composition as string),
  );
  return [
    ...above.map((id) => ({ composition: id })),
    ...layers.map(({ id }) => ({ composition: main.id, layer: id })),
  ];
}
