import { MemoryCache, Timeline, IN_MEMORY, type EvictionContext } from "../cache";
import type { Milliseconds } from "../composition";
import { BOOKKEEPING_BYTES } from "../machine";
import { PLAYBACK_ALONE, schedule, stepAt, type FrameJob, type PlayClock, type Snapshot } from "./scheduler";

export interface Simulation {
  /** Length of the loop. */
  readonly frames: number;
  /** Frames that memory holds. */
  readonly room: number;
  readonly passes: number;
  readonly budgetMs: Milliseconds;
  readonly renderMs: Milliseconds;
  readonly workers: number;
  readonly eviction: "playback" | "leastRecentlyUsed";
}

/** What one pass of the loop came to. */
export interface PassResult {
  /** Frames that were already in memory, not rendered during this pass. */
  readonly hits: number;
  readonly shown: number;
  readonly skipped: number;
}

const FRAME_BYTES = 1_000_000;

/**
 * Plays a loop on a virtual clock with the scheduler and the cache of the live engine.
 * @returns one result a pass
 */
export function simulateLoop(simulation: Simulation): PassResult[] {
  const { frames, room, passes, budgetMs, renderMs, workers } = simulation;
  const range = { in: 0, out: frames };
  const timeline = new Timeline(frames);
  for (let frame = 0; frame < frames; frame++) timeline.setKey(frame, String(frame), 0);
  const cache = new MemoryCache<number>(room * (FRAME_BYTES + BOOKKEEPING_BYTES));
  const clock: PlayClock = { startMs: 0, startFrame: 0, speed: 1, pacing: "keep time", loop: true };
  const results = Array.from({ length: passes }, () => ({ hits: 0, shown: 0, skipped: 0 }));
  const fresh = new Set<number>();
  // A frame that memory does not take is still shown.
  const overflow = new Map<number, number>();
  const rendering = { costs: new Float32Array(frames).fill(renderMs), slowdown: 1, unknownMs: 0 };
  let jobs: (FrameJob & { endMs: number })[] = [];
  let nextJob = 0;
  let shownStep = -1;
  let nowMs = 0;

  const context = (): EvictionContext =>
    simulation.eviction === "leastRecentlyUsed"
      ? { mode: "leastRecentlyUsed" }
      : {
          mode: "playback",
          nextUse: (key) => timeline.nextUse(key, shownStep + 1, range, 1),
          isPinned: () => false,
        };

  const finish = (frame: number) => {
    fresh.add(frame);
    const { admitted, evicted } = cache.put(String(frame), frame, FRAME_BYTES, renderMs, context());
    evicted.forEach((key) => timeline.mark(key, IN_MEMORY, false));
    if (!admitted) overflow.set(frame, nowMs);
    timeline.mark(String(frame), IN_MEMORY, true);
  };

  const snapshot = (): Snapshot => ({
    ...PLAYBACK_ALONE,
    nowMs,
    playhead: Math.max(0, shownStep) % frames,
    duration: frames,
    range,
    budgetMs,
    residency: timeline.residency,
    jobs,
    renderSlots: workers,
    fetchSlots: 0,
    rendering,
    fetchMs: Infinity,
    window: { before: 24, after: 96 },
    clock,
    shownStep,
    memoryFits: room,
    failed: new Set(),
  });

  while (shownStep < passes * frames - 1) {
    for (const action of schedule(snapshot())) {
      const pass = results[Math.floor(("step" in action ? action.step : 0) / frames)];
      if (action.kind === "show" && pass) {
        pass.shown++;
        if (!fresh.delete(action.frame)) pass.hits++;
        cache.use(String(action.frame));
        if (overflow.delete(action.frame))
          timeline.mark(String(action.frame), IN_MEMORY, cache.has(String(action.frame)));
        shownStep = action.step;
      } else if (action.kind === "skip" && pass) {
        pass.skipped++;
        shownStep = action.step;
      } else if (action.kind === "render") {
        jobs.push({
          id: nextJob++,
          frame: action.frame,
          kind: "render",
          purpose: "play",
          startedMs: nowMs,
          endMs: nowMs + renderMs,
        });
      }
    }
    const nextDueMs = (stepAt(clock, nowMs, budgetMs) + 1) * budgetMs;
    nowMs = Math.min(nextDueMs, ...jobs.map((job) => job.endMs));
    for (const job of jobs) if (job.endMs <= nowMs) finish(job.frame);
    jobs = jobs.filter((job) => job.endMs > nowMs);
  }
  return results;
}
