import {
  asIfBaked,
  bakeProspects,
  forecastTake,
  FRACTIONS,
  frameBytes,
  isRealTime,
  mainComposition,
  planBakes,
  scaledSize,
  type Bake,
  type BakeTarget,
  type Bytes,
  type CostModel,
  type FrameNumber,
  type FrameRange,
  type Milliseconds,
  type Prospect,
  type TakeConditions,
  type TakeSummary,
} from "@kinetocache/core";
import { median } from "./median";
import type { BakeOffer, SuggestedBakes } from "./protocol/event";
import type { MadePicture } from "./protocol/rendering";
import type { PreviewTimeline } from "./previewTimeline";

/** Something that could be baked: one target, or several that go together, at one size. */
export interface BakeWay {
  readonly fraction: number;
  /** As if they were complete. */
  readonly bakes: readonly Bake[];
}

/** A frame that was rendered with pictures that were baked for it alone. */
export interface TriedFrame {
  readonly frame: FrameNumber;
  /** With reading the pictures back. */
  readonly ms: Milliseconds;
  readonly pictures: readonly MadePicture[];
}

/** What the advice follows from. */
export interface AdviceBasis {
  readonly timeline: Pick<PreviewTimeline, "document" | "settings" | "bakes" | "costs" | "residency">;
  readonly range: FrameRange;
  /** Those of a take that began now. */
  readonly conditions: TakeConditions;
  readonly model: CostModel;
  /** Space for baked frames. */
  readonly roomBytes: Bytes;
  /** Bytes a second that cached frames were read with; undefined before the first one. */
  readonly readRate: Bytes | undefined;
}

/** Pauses between pieces of work; where it hands ways over, it goes on with what became of frames tried with each. */
export type Advice = Generator<
  readonly BakeWay[] | undefined,
  SuggestedBakes,
  readonly (readonly TriedFrame[])[] | undefined
>;

// Frames that stand for the range.
const SAMPLES = 24;
// Bytes of pixels in a millisecond, where nothing was read yet: what the server hands over, as it was measured.
const ASSUMED_BYTES = 180_000;
// Packed pictures take about this much of their pixels; what they really take is found by trying.
const PACKED = 0.25;
// How far a forecast may be off: where playback keeps all processors busy, frames with baked pictures took a quarter to a
// half longer than when they were tried; and what is won must be more than the other.
const SLOWER = 1.4;
const LEAST_WIN = 0.05;
const MOST_OFFERS = 3;

/**
 * What is worth baking of the open variant: targets and sets of targets at every size are compared by what they would
 * leave of the costs, the best of each size are tried on some frames, and a take is forecast with what was measured. Only
 * what wins by more than the error of such a forecast is offered.
 */
export function* adviseBakes(basis: AdviceBasis): Advice {
  const { timeline, range, conditions } = basis;
  const present = yield* forecastTake(conditions);
  const notHeld = missing(timeline.residency, range);
  const found: SuggestedBakes = {
    composition: timeline.document.main,
    range,
    present,
    presentMs: meanOf(timeline.costs.costs, notHeld),
    offers: [],
    triedFrames: 0,
  };
  const frames = samplesOf(notHeld);
  if (isRealTime(present) || frames.length === 0) return found;
  const prospects = yield* bakeProspects(
    timeline.document,
    timeline.settings,
    timeline.bakes,
    frames,
    basis.model,
    (layer) => timeline.costs.costsOf(layer, range).reduce((sum, ms) => sum + ms, 0),
  );
  const ways = waysOf(basis, prospects, frames);
  if (ways.length === 0) return found;
  const tried = (yield ways.map(({ way }) => way)) ?? [];
  const offers: BakeOffer[] = [];
  for (const [index, { way, rest }] of ways.entries()) {
    const offer = yield* offerOf(basis, way, restAt(rest, frames), tried[index] ?? []);
    if (offer && wins(offer, present, basis.roomBytes)) offers.push(offer);
  }
  const triedFrames = tried.reduce((sum, one) => sum + one.length, 0);
  return { ...found, offers: bestOf(offers, timeline.settings.fraction), triedFrames };
}

interface RatedWay {
  readonly way: BakeWay;
  /** Share of what each sampled frame costs that remains. */
  readonly rest: readonly number[];
}

/** The whole, and the best set of its parts, at each size. */
function waysOf(
  { timeline, range, conditions, model, roomBytes, readRate }: AdviceBasis,
  prospects: readonly Prospect[],
  frames: readonly FrameNumber[],
): RatedWay[] {
  const { document } = timeline;
  const main = mainComposition(document);
  const ids = prospects.map(({ target }) => idOf(target));
  const costs = frames.map((frame) => timeline.costs.costs[frame]!);
  const sizeOf = ({ target }: Prospect, fraction: number) =>
    frameBytes(document.compositions[target.composition]!, fraction, document.depth);
  const wayOf = (chosen: readonly Prospect[], fraction: number): RatedWay => ({
    way: {
      fraction,
      bakes: chosen.map(({ target }) =>
        asIfBaked(document, target, { fraction, depth: document.depth, packed: true }, idOf(target)),
      ),
    },
    rest: frames.map((_, at) => Math.max(0, 1 - chosen.reduce((sum, { rest }) => sum + 1 - rest[at]!, 0))),
  });
  const isWhole = ({ target }: Prospect) => target.composition === main.id && target.layer === undefined;
  return FRACTIONS.flatMap((fraction) => {
    const candidates = prospects.map((prospect, index) => ({
      id: ids[index]!,
      within: prospect.within.map(idOf),
      costs: costs.map((ms, at) => ms * (1 - prospect.rest[at]!)),
      readMs: readMs(sizeOf(prospect, fraction), main, fraction, model, readRate),
      bytes: PACKED * sizeOf(prospect, fraction) * framesToBake(document, prospect.target, range),
    }));
    // As many frames are rendered at a time as there are workers.
    const budgetMs = conditions.budgetMs * conditions.renderSlots;
    const parts = candidates.filter((_, index) => !isWhole(prospects[index]!));
    const { chosen } = planBakes(parts, costs, budgetMs, roomBytes);
    const set = prospects.filter((_, index) => chosen.includes(ids[index]!));
    const whole = prospects.filter(isWhole);
    return [set, whole].filter((one) => one.length > 0).map((one) => wayOf(one, fraction));
  });
}

/** What reading a baked picture is expected to take, before one is tried. */
function readMs(
  bytes: Bytes,
  main: { readonly width: number; readonly height: number },
  fraction: number,
  model: CostModel,
  readRate: Bytes | undefined,
): Milliseconds {
  const line = model.coefficients("sequence");
  if (line) return line.a + line.b * scaledSize(main.width, fraction) * scaledSize(main.height, fraction);
  return bytes / bytesPerMs(readRate);
}

const bytesPerMs = (readRate: Bytes | undefined) => (readRate === undefined ? ASSUMED_BYTES : readRate / 1000);

/** What a way comes to, by the frames that were tried with it; undefined where none was. */
function* offerOf(
  { timeline, range, conditions, readRate }: AdviceBasis,
  way: BakeWay,
  rest: (frame: FrameNumber) => number,
  tried: readonly TriedFrame[],
): Generator<undefined, (BakeOffer & { readonly cautious: TakeSummary }) | undefined> {
  if (tried.length === 0) return undefined;
  const { costs } = timeline.costs;
  // What a frame takes beside what remains of it: reading, and drawing what was read.
  const overheads = tried.map((one) => one.ms - costs[one.frame]! * rest(one.frame));
  const overheadMs = median(overheads);
  const leastMs = Math.min(...tried.map((one) => one.ms)) / 2;
  const then = costs.map((ms, frame) =>
    frame < range.in || frame >= range.out ? ms : Math.max(leastMs, ms * rest(frame) + overheadMs),
  );
  // What was tried is what frames take here and now: lately they may have taken another share of what they were expected
  // to, and only how unevenly they did counts.
  const middle = conditions.slowdowns.length > 0 ? median([...conditions.slowdowns]) : 1;
  const slowdowns = conditions.slowdowns.map((slowdown) => slowdown / middle);
  const forecast = (factor: number) => {
    const scaled = then.map((ms, frame) => (costs[frame]! > 0 ? factor * ms : 0));
    return forecastTake({ ...conditions, slowdowns, rendering: { ...conditions.rendering, costs: scaled } });
  };
  const summary = yield* forecast(1);
  const cautious = yield* forecast(SLOWER);
  let [bytes, makeMs] = [0, 0];
  for (const { id, target } of way.bakes) {
    const pictures = tried.flatMap((one) => one.pictures.filter(({ bake }) => bake === id));
    const count = framesToBake(timeline.document, target, range) / tried.length;
    bytes += count * pictures.reduce((sum, picture) => sum + picture.bytes, 0);
    makeMs += count * pictures.reduce((sum, picture) => sum + picture.ms, 0);
  }
  return {
    targets: way.bakes.map(({ target }) => target),
    fraction: way.fraction,
    summary,
    cautious,
    meanMs: meanOf(then, missing(timeline.residency, range)),
    bytes: Math.round(bytes),
    // They are read back at the end.
    bakeMs: makeMs / conditions.renderSlots + bytes / bytesPerMs(readRate),
  };
}

function wins(
  { cautious, bytes }: { readonly cautious: TakeSummary; readonly bytes: Bytes },
  present: TakeSummary,
  roomBytes: Bytes,
): boolean {
  if (bytes > roomBytes) return false;
  return isRealTime(cautious) || cautious.onTimeShare >= present.onTimeShare + LEAST_WIN;
}

/** The best ones first: in real time, not softer than the preview, and then the soonest made. */
function bestOf(offers: readonly BakeOffer[], fraction: number): BakeOffer[] {
  const isSoft = (offer: BakeOffer) => offer.fraction < fraction;
  const sorted = [...offers].sort(
    (a, b) =>
      Number(isRealTime(b.summary)) - Number(isRealTime(a.summary)) ||
      Number(isSoft(a)) - Number(isSoft(b)) ||
      (isRealTime(a.summary) ? a.bakeMs - b.bakeMs : b.summary.onTimeShare - a.summary.onTimeShare),
  );
  const isNoBetter = (offer: BakeOffer, other: BakeOffer) =>
    other.summary.onTimeShare >= offer.summary.onTimeShare &&
    other.bakeMs <= offer.bakeMs &&
    other.bytes <= offer.bytes &&
    other.fraction >= Math.min(fraction, offer.fraction);
  const isSharpEnough = sorted[0] !== undefined && isRealTime(sorted[0].summary) && !isSoft(sorted[0]);
  return sorted
    .filter((offer) => !isSharpEnough || !isSoft(offer))
    .filter((offer, index) => !sorted.slice(0, index).some((other) => isNoBetter(offer, other)))
    .slice(0, MOST_OFFERS);
}

/** Names a target. */
function idOf({ composition, layer }: BakeTarget): string {
  return `${composition}/${layer ?? ""}`;
}

/** What is nested is baked over its own length. */
function framesToBake(document: BasisDocument, { composition }: BakeTarget, range: FrameRange): number {
  return composition === document.main ? range.out - range.in : document.compositions[composition]!.duration;
}

type BasisDocument = AdviceBasis["timeline"]["document"];

/** Frames of a range that are not held. */
function missing(residency: Uint8Array, range: FrameRange): FrameNumber[] {
  const frames: FrameNumber[] = [];
  for (let frame = range.in; frame < range.out; frame++) if (residency[frame] === 0) frames.push(frame);
  return frames;
}

function meanOf(costs: Float32Array, frames: readonly FrameNumber[]): Milliseconds {
  return frames.reduce((sum, frame) => sum + costs[frame]!, 0) / Math.max(1, frames.length);
}

function samplesOf(frames: readonly FrameNumber[]): FrameNumber[] {
  const count = Math.min(SAMPLES, frames.length);
  return Array.from({ length: count }, (_, index) => frames[Math.floor(((index + 0.5) * frames.length) / count)]!);
}

/** What is known of some frames, for any: that of the nearest one. */
function restAt(rest: readonly number[], frames: readonly FrameNumber[]): (frame: FrameNumber) => number {
  return (frame) => {
    let nearest = 0;
    for (let at = 1; at < frames.length; at++)
      if (Math.abs(frames[at]! - frame) < Math.abs(frames[nearest]! - frame)) nearest = at;
    return rest[nearest]!;
  };
}
