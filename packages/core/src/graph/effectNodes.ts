import type { Composition, Document, EffectInstance, FrameNumber, Layer } from "../composition";
import { effectOf, grow, intersect, type Evaluated, type Window } from "../drawing";
import { NO_BAKES } from "./bake";
import { contextAt, type Context } from "./context";
import { evaluated } from "./evaluated";
import type { GraphNode } from "./node";
import { describe, nodeKey } from "./nodeKey";
import { FULL_QUALITY, type RenderSettings } from "./settings";

/** An effect's parameters as they are at a frame, at full size. */
export function parametersAt(
  document: Document,
  composition: Composition,
  { kind, parameters }: EffectInstance,
  frame: FrameNumber,
): Evaluated {
  return evaluated(effectOf(kind), parameters, contextAt(document, composition, frame, FULL_QUALITY, NO_BAKES));
}

/** Which effects of a layer run, as the preview and the layer are set. */
export function running({ id, effects }: Layer, { settings, topLayer }: Context): readonly EffectInstance[] {
  if (topLayer === id && settings.effectsOff.includes(id)) return [];
  return effects.filter(({ enabled, kind }) => enabled && isOn(kind, settings));
}

function isOn(kind: EffectInstance["kind"], { effects }: RenderSettings): boolean {
  return effects === "All" || (effects === "Light only" && effectOf(kind).weight === "light");
}

/** @param visible what can be seen of the layer, where that is known: what effects cannot carry into it is left out */
export function effectNodes(source: GraphNode, layer: Layer, visible: Window | null, context: Context): GraphNode {
  const active = running(layer, context).flatMap(({ kind, parameters }) => {
    const effect = effectOf(kind);
    const values = evaluated(effect, parameters, context);
    return effect.isNeutral(values) ? [] : [{ kind, effect, parameters: values, reach: effect.reach(values) }];
  });
  let node = source;
  active.forEach(({ kind, effect, parameters, reach }, index) => {
    let window = grow(node.window, reach.x, reach.y);
    if (visible) {
      const later = active.slice(index + 1);
      const reachX = later.reduce((sum, one) => sum + one.reach.x, 0);
      const reachY = later.reduce((sum, one) => sum + one.reach.y, 0);
      window = intersect(window, grow(visible, reachX, reachY));
    }
    const inputs = [node];
    const key = nodeKey(kind, effect.version, describe(parameters), window, context, inputs);
    node = { key, kind, parameters, window, inputs, layer: context.topLayer };
  });
  return node;
}
