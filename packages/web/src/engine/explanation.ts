import {
  IN_MEMORY,
  ON_DISK,
  worthParts,
  type CostModel,
  type EvictionContext,
  type FrameNumber,
} from "@kinetocache/core";
import type { HeldFrames } from "./heldFrames";
import type { PreviewTimeline } from "./previewTimeline";
import type { Explanation, LayerExplanation } from "./protocol/event";

/** Why a frame of a timeline is held or not, and when it would go. @param pinned layers whose pixels go last */
export function explain(
  timeline: PreviewTimeline,
  frame: FrameNumber,
  held: HeldFrames,
  context: EvictionContext,
  model: CostModel,
  pinned: readonly string[],
): Explanation {
  const key = timeline.keyOf(frame);
  const bits = timeline.residency[frame]!;
  const nextUse = context.mode === "playback" ? context.nextUse(key) : Infinity;
  const layers = timeline.graphOf(frame).root.inputs.flatMap((node): LayerExplanation[] => {
    if (node.layer === null) return [];
    return [
      {
        layer: node.layer,
        costMs: model.estimateFrame(node, timeline.stillKeys(frame)).total,
        baked: node.kind === "sequence",
        pinned: pinned.includes(node.layer),
        standing: held.standing(node.key, context),
      },
    ];
  });
  return {
    frame,
    held: { memory: (bits & IN_MEMORY) !== 0, disk: (bits & ON_DISK) !== 0 },
    costMs: timeline.costs.costs[frame]!,
    measured: timeline.costs.measured[frame] !== 0,
    rule: context.mode,
    standing: held.standing(key, context),
    parts: context.mode === "free" ? worthParts(key, context) : undefined,
    nextUse: Number.isFinite(nextUse) ? nextUse : undefined,
    memory: { usedBytes: held.usedBytes, budgetBytes: held.budgetBytes },
    layers,
  };
}
