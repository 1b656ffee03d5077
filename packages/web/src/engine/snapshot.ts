import {
  frameBytes,
  framesThatFit,
  type Milliseconds,
  type Mode,
  type Snapshot,
  type TakeConditions,
} from "@kinetocache/core";
import { MOST_OVERFLOW } from "./admission";
import type { Parts } from "./parts";
import type { PreviewTimeline } from "./previewTimeline";
import { isLasting } from "./tradeOffs";

// Frames that are on their way from disk at a time: while one is unpacked the next ones travel.
export const FETCH_SLOTS = 4;
// Sharpening waits until the user has looked at the preview for a moment.
export const SHARPEN_AFTER_MS: Milliseconds = 400;

/** All that the scheduler goes by at a moment. */
export function takeSnapshot(engine: Parts, timeline: PreviewTimeline, mode: Mode, now: Milliseconds): Snapshot {
  const { arrival, calibration, choices, disk, held, jobs, onShow, orders, player, pool, stage } = engine;
  const { settings } = choices;
  const { transport } = player;
  const fits = memoryFits(engine, timeline);
  const overflow = held.overflowKeys;
  const takesMore = isLasting(timeline.settings) && overflow.length < MOST_OVERFLOW;
  const isFilling = mode === "filling" || orders.active.length > 0;
  return {
    nowMs: now,
    mode,
    playhead: player.playhead,
    duration: timeline.duration,
    range: player.range,
    budgetMs: player.budgetMs,
    residency: stage.residency(player.isPlaying),
    jobs: jobs.plain(),
    renderSlots: pool.size,
    fetchSlots: FETCH_SLOTS,
    rendering: arrival.pace(timeline.costs.costs),
    fetchMs: disk.fetchMs,
    window: settings.window,
    clock: transport?.clock,
    shownStep: transport?.shownStep ?? -1,
    shownFrame: onShow.frame,
    memoryFits: fits,
    memoryRoom: isFilling ? memoryRoom(engine, timeline, fits) : 0,
    diskFromMs: takesMore ? disk.wantedFromMs(true) : Infinity,
    sharpen: sharpenState(engine, timeline, mode, now),
    overflow: new Set(overflow.flatMap((key) => timeline.framesOf(key))),
    failed: timeline.failed,
    scrub: mode === "scrubbing" ? scrubState(engine, timeline) : "off",
    orders: player.takeStartsMs === undefined && calibration.isDone ? orders.active : [],
    marked: timeline.settings.renderer === "cpu-1" ? choices.layers.marked : [],
    layersFilled: stage.lanes!.filled,
    idleFills: settings.background === "Marked" ? "marked" : "frames",
    fillsWhilePlaying: !settings.pauseFillingWhilePlaying && !player.take,
  };
}

/** The conditions of a take that would begin now; undefined while it is not known what frames cost. */
export function takeConditions(engine: Parts): (TakeConditions & { readonly document: string }) | undefined {
  const { choices, pace, player, pool } = engine;
  const { timeline } = engine.stage;
  if (!timeline) return undefined;
  const { residency } = timeline;
  const { costs } = timeline.costs;
  const { in: first, out } = player.range;
  // What rendering takes of what is not held has to be known.
  if (residency.subarray(first, out).some((tiers, at) => tiers === 0 && costs[first + at] === 0)) return undefined;
  const snapshot = takeSnapshot(engine, timeline, "parked", performance.now());
  return {
    ...snapshot,
    // A take is of the open variant alone, on all workers.
    residency,
    renderSlots: pool.size,
    pacing: choices.settings.pacing,
    slowdowns: pace.slowdowns,
    document: timeline.document.id,
  };
}

/** Frames of a timeline that memory holds. */
export function memoryFits(
  { held }: Pick<Parts, "held">,
  { composition, settings, document }: PreviewTimeline,
): number {
  return framesThatFit(held.budgetBytes, frameBytes(composition, settings.fraction, document.depth));
}

/** Frames of a timeline that fit beside those already held; what belongs elsewhere gives way. */
export function memoryRoom({ held }: Pick<Parts, "held">, timeline: PreviewTimeline, fits: number): number {
  let own = 0;
  for (const key of held.keys()) if (timeline.has(key)) own++;
  return Math.max(0, fits - own);
}

function scrubState({ choices, held, onShow, player, stage }: Parts, timeline: PreviewTimeline): Snapshot["scrub"] {
  const { playhead } = player;
  const fraction = choices.scrubFraction;
  if (fraction === timeline.settings.fraction || stage.other) return "off";
  if (onShow.isScrubbed(playhead)) return "shown";
  return held.has(timeline.keyAt(playhead, fraction)) ? "held" : "wanted";
}

function sharpenState(
  { choices, onShow, player, stage }: Parts,
  timeline: PreviewTimeline,
  mode: Mode,
  now: Milliseconds,
): Snapshot["sharpen"] {
  if (mode === "scrubbing" || mode === "playing" || player.takeStartsMs !== undefined) return "off";
  if (!choices.settings.sharpenWhenParked || timeline.settings.fraction === 1 || stage.other) return "off";
  if (onShow.isSharp(player.playhead)) return "done";
  return now - onShow.atMs >= SHARPEN_AFTER_MS ? "wanted" : "off";
}
