import type { CacheChange, Explanation, LayerExplanation } from "../../engine/protocol/event";
import { bytesText, framesText, groupedText, msText } from "../../parts/format";

const CAUSES: Readonly<Record<CacheChange["cause"], string>> = { edit: "The edit", undo: "Undo", redo: "Redo" };

/** What an edit did to what was held. */
export function changeText({ cause, lost, regained }: Pick<CacheChange, "cause" | "lost" | "regained">): string {
  const parts = [
    lost > 0 ? `${framesText(lost)} to render again, the old ones are kept for undo` : "",
    regained > 0 ? `${framesText(regained)} found again, none rendered` : "",
  ].filter(Boolean);
  return `${CAUSES[cause]}: ${parts.join("; ") || "nothing cached is lost"}`;
}

/** Where a frame is held. */
export function heldText({ held }: Explanation): string {
  if (held.memory) return held.disk ? "in memory and on disk" : "in memory";
  return held.disk ? "on disk" : "not held";
}

/** Why a frame would go next, or would not, in words. */
export function evictionText(explanation: Explanation): string {
  const { held, standing, rule, nextUse, parts, memory } = explanation;
  if (!held.memory) {
    const room = memory.budgetBytes - memory.usedBytes;
    return held.disk
      ? "It is read back from disk when it is wanted."
      : room > 0
        ? `Memory has ${bytesText(room)} left: it is kept when it is rendered.`
        : "Memory is full: it is kept when it is worth more than what is held.";
  }
  if (!standing) return "The cache had no room for it: it stays until it has been shown.";
  const place =
    standing.before === 0
      ? "It is evicted first when room is needed"
      : `${groupedText(standing.before)} of ${groupedText(standing.entries)} are evicted before it`;
  if (rule === "playback")
    return `${place}: ${nextUse === undefined ? "the loop does not show it again" : `it is needed in ${framesText(nextUse)}`}.`;
  if (!parts) return `${place}.`;
  const reasons = [
    parts.distance === undefined
      ? "the timeline does not show it"
      : parts.distance === 0
        ? "it is under the playhead"
        : `${framesText(parts.distance)} from the playhead`,
    `${msText(standing.costMs)} to make again`,
    bytesText(standing.bytes),
    ...(standing.uses > 0 ? [`shown ${standing.uses} ${standing.uses === 1 ? "time" : "times"}`] : []),
    ...(parts.distance !== undefined ? [parts.inRange ? "in the in–out range" : "outside the in–out range"] : []),
    ...(parts.demand > 1 ? [`stands for ${framesText(parts.demand)}`] : []),
  ];
  return `${place}: ${reasons.join(", ")}.`;
}

/** Where a layer's finished pixels of the frame are. */
export function layerText({ baked, standing, pinned }: LayerExplanation): string {
  if (baked) return "baked";
  if (!standing) return pinned ? "pinned, not held yet" : "not held by itself";
  const place = pinned
    ? "pinned: evicted last"
    : standing.before === 0
      ? "evicted first"
      : `${standing.before} evicted before it`;
  return `held, ${bytesText(standing.bytes)}, ${place}`;
}
