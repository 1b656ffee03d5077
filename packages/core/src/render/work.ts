import { EFFECTS, effectOf, pixelCount, type EffectKind, type Evaluated } from "../drawing";
import type { EffectNode, GraphNode, SourceNode } from "../graph";

/**
 * Work of one node in pixels times a factor that depends on its parameters: the x of the cost model. The
 * factor follows the number of passes over the pixels, not their speed, which the model measures.
 */
export function workUnits(node: GraphNode): number {
  if (node.kind === "stack") return node.inputs.reduce((sum, input) => sum + pixelCount(input.window), 0);
  if (node.kind === "place") return pixelCount(node.window);
  if (node.kind === "sequence") return Number(node.parameters.width) * Number(node.parameters.height);
  if (node.kind === "flock") return pixelCount(node.window) + strokeArea(node.parameters);
  return pixelCount(node.window) * passes(node);
}

function passes({ kind, parameters }: EffectNode | SourceNode): number {
  if (kind === "noise") return Number(parameters.detail);
  return kind in EFFECTS ? effectOf(kind as EffectKind).passes(parameters) : 1;
}

/** Area around a flock's strokes, in pixels: it grows with the birds, not with the picture. */
function strokeArea(parameters: Evaluated): number {
  return Number(parameters.count) * Number(parameters.wingspan) ** 2;
}
