import type { Affine, DrawnKind, EffectKind, Evaluated, Placement, Window } from "../drawing";
import type { ContentKey } from "./key";

interface NodeBase {
  readonly key: ContentKey;
  /** Pixels that the node produces, in its own space at the preview size. */
  readonly window: Window;
  readonly inputs: readonly GraphNode[];
  /** Id of the layer of the main composition that the cost belongs to; null for the final stack. */
  readonly layer: string | null;
}

export interface SourceNode extends NodeBase {
  readonly kind: DrawnKind;
  readonly parameters: Evaluated;
  /** Preview size as a fraction of the edge. */
  readonly fraction: number;
}

export interface EffectNode extends NodeBase {
  readonly kind: EffectKind;
  readonly parameters: Evaluated;
}

export interface PlaceNode extends NodeBase {
  readonly kind: "place";
  /** From the composition's space back to the input's. */
  readonly inverse: Affine;
}

export interface StackNode extends NodeBase {
  readonly kind: "stack";
  /** One for each input, bottom to top. */
  readonly placements: readonly Placement[];
}

export type GraphNode = SourceNode | EffectNode | PlaceNode | StackNode;

export type NodeKind = GraphNode["kind"];

/** Every distinct node once, inputs before what uses them. */
export function inOrder(root: GraphNode): GraphNode[] {
  const order: GraphNode[] = [];
  const seen = new Set<ContentKey>();
  const visit = (node: GraphNode) => {
    if (seen.has(node.key)) return;
    seen.add(node.key);
    node.inputs.forEach(visit);
    order.push(node);
  };
  visit(root);
  return order;
}
