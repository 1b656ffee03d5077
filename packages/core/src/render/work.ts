import { effectOf, pixelCount, sourceOf } from "../drawing";
import type { EffectNode, GraphNode, SourceNode } from "../graph";

/**
 * Work of one node in pixels times a factor that depends on its parameters: the x of the cost model. The
 * factor follows the number of passes over the pixels, not their speed, which the model measures.
 */
export function workUnits(node: GraphNode): number {
  if (node.kind === "stack") return node.inputs.reduce((sum, input) => sum + pixelCount(input.window), 0);
  if (node.kind === "place") return pixelCount(node.window);
  const pixels = pixelCount(node.window);
  if (isSource(node)) return sourceOf(node.kind).work?.(pixels, node.parameters) ?? pixels;
  return pixels * effectOf(node.kind).passes(node.parameters);
}

function isSource(node: EffectNode | SourceNode): node is SourceNode {
  return node.inputs.length === 0;
}
