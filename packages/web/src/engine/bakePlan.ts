import {
  frameBytes,
  mainComposition,
  planBakes,
  scaledSize,
  type BakeCandidate,
  type Bytes,
  type CostModel,
  type FrameRange,
  type Milliseconds,
} from "@kinetocache/core";
import type { PlanRequest, SuggestedBakes } from "./protocol";
import type { PreviewTimeline } from "./previewTimeline";

// Bytes of pixels in a millisecond, where nothing was read yet: what the server hands over, as it was measured.
const ASSUMED_BYTES = 180_000;
/** The whole composition among the candidates. */
const WHOLE = "";

/**
 * What is best baked of the open variant over a range, by what its frames cost.
 * @param readRate bytes a second that cached frames were read back with; undefined before the first one
 */
export function suggestBakes(
  { document, settings, costs, bakes }: PreviewTimeline,
  range: FrameRange,
  budgetMs: Milliseconds,
  model: CostModel,
  readRate: Bytes | undefined,
  { fraction, depth, roomBytes }: PlanRequest,
): SuggestedBakes {
  const main = mainComposition(document);
  const bytes = frameBytes(main, fraction, depth);
  const pixels = scaledSize(main.width, fraction) * scaledSize(main.height, fraction);
  const msPerPixel = bytes / pixels / (readRate === undefined ? ASSUMED_BYTES : readRate / 1000);
  const readMs = pixels * msPerPixel + readOverhead(model, msPerPixel);
  const baked = new Set(bakes.list.flatMap(({ target, enabled }) => (enabled ? [target.layer] : [])));
  const frames = range.out - range.in;
  const layers = main.layers
    .filter(({ id, enabled }) => enabled && !baked.has(id))
    .map(({ id }): BakeCandidate => {
      const own = costs.costsOf(id, range);
      return { id, parent: WHOLE, costs: own, readMs, bytes: bytes * frames };
    });
  const totals = costs.costs.subarray(range.in, range.out);
  const whole: BakeCandidate = { id: WHOLE, costs: totals, readMs, bytes: bytes * frames };
  const plan = planBakes([whole, ...layers], totals, budgetMs, roomBytes);
  // A cached frame at the preview's size is as good as a baked whole, and takes less.
  const isWhole = plan.chosen.includes(WHOLE) && settings.fraction === fraction;
  const chosen = isWhole ? planBakes(layers, totals, budgetMs, roomBytes) : plan;
  return { ...chosen, composition: main.id, fraction, range, readMs };
}

/** What the reads so far took beyond their pixels, whatever their size: asking, and waiting for an answer. */
function readOverhead(model: CostModel, msPerPixel: number): Milliseconds {
  const read = model.mean("sequence");
  return read ? Math.max(0, read.ms - read.units * msPerPixel) : 0;
}
