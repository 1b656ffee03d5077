import { pixelCount, type Evaluated, type GraphNode, type NodeKind } from "../graph";
import { pairSteps } from "./effects/directionalBlur";

/**
 * Work of one node in pixels times a factor that depends on its parameters: the x of the cost model. The
 * factor follows the number of passes over the pixels, not their speed, which the model measures.
 */
export function workUnits(node: GraphNode): number {
  if (node.kind === "stack") return node.inputs.reduce((sum, input) => sum + pixelCount(input.window), 0);
  if (node.kind === "place") return pixelCount(node.window);
  if (node.kind === "sequence") return Number(node.parameters.width) * Number(node.parameters.height);
  if (node.kind === "flock") return pixelCount(node.window) + strokeArea(node.parameters);
  return pixelCount(node.window) * workFactor(node.kind, node.parameters);
}

function workFactor(kind: NodeKind, parameters: Evaluated): number {
  switch (kind) {
    case "noise":
      return Number(parameters.detail);
    case "displacement":
      return 1 + 2 * Number(parameters.detail);
    case "directionalBlur":
      return pairSteps(Number(parameters.length)).length;
    default:
      return 1;
  }
}

/** Area around a flock's strokes, in pixels: it grows with the birds, not with the picture. */
function strokeArea(parameters: Evaluated): number {
  return Number(parameters.count) * Number(parameters.wingspan) ** 2;
}
