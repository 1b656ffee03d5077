import type { FrameRange, Milliseconds, Mode } from "@kinetocache/core";
import type { Desks } from "./desks";
import { restOf } from "./fillPace";
import type { TimelineData } from "./previewTimeline";
import type { Status } from "./protocol/event";
import { memoryFits, memoryRoom } from "./snapshot";
import { isLasting } from "./tradeOffs";

/** What is true now, for the screens; undefined before a composition is open. */
export function statusOf(engine: Desks, mode: Mode): Status | undefined {
  const { admission, advice, bakery, choices, devices, disk, diskWork, onShow } = engine;
  const { player, responses, stage, trials } = engine;
  const { timeline, lanes, comparison, unreadable } = stage;
  const { playhead, range, transport } = player;
  if (!timeline) return undefined;
  return {
    mode,
    playhead,
    range,
    speed: transport?.clock.speed ?? 0,
    memory: memoryOf(engine),
    ...fillingOf(engine),
    comparison,
    bakes: bakery.status,
    unreadable,
    missing: engine.media.reasonsIn(timeline.document),
    disk: disk.state,
    notWorthStoring: disk.notWorth,
    readRate: disk.readRate,
    rendered: admission.renderedFrames,
    responses: responses.times,
    measuringTake: player.isTaking,
    carrying: diskWork.carrying,
    trial: trials.status ?? diskWork.trial ?? advice.status,
    graphicsFault: devices.faultReason,
    playback: transport && { skipped: transport.skipped, reachedRate: transport.reachedRate },
    layersKept: lanes?.kept(choices.keptLayers(engine.orders), range) ?? [],
    layerCosts: timeline.costs.layerSummary(playhead, range),
    sharp: onShow.isSharp(playhead),
  };
}

function memoryOf({ held, pool }: Desks): Status["memory"] {
  return {
    budgetBytes: held.budgetBytes,
    usedBytes: held.usedBytes,
    frames: held.size,
    branches: held.branchCount,
    branchBytes: held.branchBytes,
    workingBytes: pool.memoryBytes + held.overflowBytes,
    overflowBytes: held.overflowBytes,
  };
}

function fillingOf(engine: Desks): Pick<Status, "filling" | "orders"> {
  const { choices, disk, orders, pace, player, pool, stage } = engine;
  const timeline = stage.timeline!;
  const { residency, duration, costs } = timeline;
  const room = memoryRoom(engine, timeline, memoryFits(engine, timeline));
  const diskTakes = isLasting(timeline.settings) && disk.wants(Infinity, true);
  const rest = (range: FrameRange, forDisk = diskTakes) =>
    restOf({ residency, costs: costs.costs }, range, room, forDisk);
  const timeOf = (left: ReturnType<typeof rest>): Milliseconds | undefined =>
    pace.remainingMs(left, costs.costs, pool.size, disk.fetchMs);
  const whole = rest({ in: 0, out: duration });
  return {
    filling: {
      paused: choices.fillingPaused,
      done: duration - whole.renders - whole.fetches,
      total: duration,
      remainingMs: timeOf(whole),
      intoMemoryMs: timeOf(rest(player.range, false)),
    },
    orders: orders.status(timeline, stage.lanes!, (range) => timeOf(rest(range))),
  };
}

/** Costs and residency for the screens, where they changed since they were told last. */
export function timelineDataOf({ choices, stage }: Desks): TimelineData | undefined {
  const { timeline, lanes } = stage;
  const { followed } = choices;
  const data = timeline?.takeChanges(lanes?.takeChanged() ?? false);
  const residency = followed === undefined ? undefined : lanes?.residency(followed);
  return data && residency ? { ...data, layer: { id: followed!, residency: residency.slice() } } : data;
}
