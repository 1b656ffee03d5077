import { BLEND_MODES, mainComposition, type Depth, type Document, type FrameNumber } from "../composition";
import { isEmpty } from "../drawing";
import { NO_BAKES, type Bakes, type BakeTarget } from "./bake";
import { bakedKey } from "./bakedNode";
import { canvas, contextAt } from "./context";
import { contentKey, type ContentKey } from "./key";
import { liveLayerNode, stackNode, stackOf, wholeNode } from "./layerNode";
import { inOrder, type GraphNode } from "./node";
import { FULL_QUALITY, type RenderSettings } from "./settings";
import type { SharedLayers } from "./sharedLayers";

export interface FrameGraph {
  /** The finished picture, as large as the composition at the preview size. */
  readonly root: GraphNode;
  /** Key of the finished frame at the document's bit depth. */
  readonly key: ContentKey;
  readonly depth: Depth;
}

function finished(root: GraphNode, depth: Depth): FrameGraph {
  return { root, key: contentKey(`frame|${depth}`, [root.key]), depth };
}

/**
 * The graph of one frame of the document's main composition.
 * @param shared gives and takes what graphs of other states of the document have too
 * @throws RangeError when the frame is outside the composition
 */
export function buildGraph(
  document: Document,
  frame: FrameNumber,
  settings: RenderSettings,
  bakes: Bakes = NO_BAKES,
  shared?: SharedLayers,
): FrameGraph {
  const composition = mainComposition(document);
  const context = { ...contextAt(document, composition, frame, settings, bakes), shared };
  return finished(wholeNode(composition, context), document.depth);
}

/** What one frame of a bake is made from. */
export interface BakeGraph extends FrameGraph {
  /** Key of the live branch, by which the bake is found again. */
  readonly liveKey: ContentKey;
}

/**
 * The graph of one frame of what is to be baked: at full quality, as large as its composition, and live all through.
 * @throws RangeError when there is no such composition or layer, or the frame is outside
 */
export function buildBakeGraph(
  document: Document,
  target: BakeTarget,
  frame: FrameNumber,
  how: Pick<RenderSettings, "fraction" | "renderer"> & { readonly depth: Depth },
): BakeGraph {
  const composition = document.compositions[target.composition];
  if (!composition) throw new RangeError(`There is no composition "${target.composition}"`);
  const { fraction, renderer, depth } = how;
  const context = contextAt(document, composition, frame, { ...FULL_QUALITY, fraction, renderer }, NO_BAKES);
  if (target.layer === undefined) {
    const root = stackNode(composition, context);
    return { ...finished(root, depth), liveKey: bakedKey(root) };
  }
  const layer = composition.layers.find(({ id }) => id === target.layer);
  if (!layer) throw new RangeError(`${composition.name} has no layer "${target.layer}"`);
  const isShowing = frame >= layer.range.in && frame < layer.range.out;
  const branch = isShowing ? liveLayerNode(layer, composition, { ...context, topLayer: layer.id }) : null;
  const inputs = branch && !isEmpty(branch.window) ? [branch] : [];
  const placements = inputs.map(() => ({ opacity: 1, blend: BLEND_MODES.indexOf("normal") }));
  const root = stackOf(inputs, placements, canvas(composition, fraction), context);
  return { ...finished(root, depth), liveKey: bakedKey(branch) };
}

/**
 * Keys of the nodes that a frame shares with the frame after it (or before it, for the last): branches that
 * stay still, which are rendered once and then held. Their cost is not the frame's own.
 * @param graphOf where the caller knows graphs already
 */
export function stillKeys(
  document: Document,
  frame: FrameNumber,
  settings: RenderSettings,
  bakes: Bakes = NO_BAKES,
  graphOf = (of: FrameNumber): FrameGraph => buildGraph(document, of, settings, bakes),
): ReadonlySet<ContentKey> {
  const { duration } = mainComposition(document);
  const neighbour = frame + 1 < duration ? frame + 1 : frame - 1;
  if (neighbour < 0) return new Set();
  return new Set(inOrder(graphOf(neighbour).root).map((node) => node.key));
}

/** Key of one finished frame. */
export function frameKey(document: Document, frame: FrameNumber, settings: RenderSettings): ContentKey {
  return buildGraph(document, frame, settings).key;
}
