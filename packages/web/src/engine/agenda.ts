import { frameOfStep, stepAt, type Milliseconds } from "@kinetocache/core";
import type { Desks } from "./desks";
import { SCRUB_REST_MS } from "./player";
import type { PreviewTimeline } from "./previewTimeline";
import { SHARPEN_AFTER_MS } from "./snapshot";
import { SLICE_MS } from "./staging";
import type { Transport } from "./transport";

/** What is worked out beside the frames, a slice at a time, and when the engine has to wake by itself. */
export class Agenda {
  constructor(private readonly engine: Desks) {}

  /** Whether background rendering may take its turn. */
  get mayFill(): boolean {
    const { calibration, choices, disk, player } = this.engine;
    if (player.isPlaying || player.takeStartsMs !== undefined) return false;
    // What is on disk need not be rendered.
    if (!disk.isListed) return false;
    return choices.chosen?.background !== "Off" && !choices.fillingPaused && calibration.isDone;
  }

  /** Works one slice of what comes first. */
  work(timeline: PreviewTimeline): void {
    const { advice, outlook, player, savings, stage, staging } = this.engine;
    const { other, lanes } = stage;
    const { isPlaying } = player;
    if (timeline.hasUnkeyed) {
      timeline.computeKeys(SLICE_MS);
      staging.tellChange();
    } else if (other?.hasUnkeyed) other.computeKeys(SLICE_MS);
    else if (lanes?.hasUnkeyed && !isPlaying) lanes.computeKeys(SLICE_MS);
    else if (advice.isDue) advice.step(SLICE_MS);
    else if (savings.isDue(isPlaying)) savings.step(SLICE_MS);
    else if (timeline.hasUnestimated && !isPlaying) {
      timeline.estimate(SLICE_MS);
      outlook.note();
    } else if (this.isOutlookDue(performance.now())) outlook.step(SLICE_MS);
  }

  /**
   * When something may be due; undefined when only a message can change anything.
   * @param now when the last step took place: what fell due since then has not been seen by it
   * @param lastActionMs when the user did something last
   */
  wakeMs(timeline: PreviewTimeline, now: Milliseconds, lastActionMs: Milliseconds): Milliseconds | undefined {
    const { choices, onShow, outlook, player } = this.engine;
    if (this.hasWork(timeline, now)) return now;
    if (player.transport) return this.nextShowMs(player.transport, timeline, now);
    const moments = [player.lastScrubMs + SCRUB_REST_MS, onShow.atMs + SHARPEN_AFTER_MS];
    if (player.takeStartsMs !== undefined) moments.push(player.takeStartsMs);
    const outlookMs = outlook.dueMs(now);
    if (outlookMs !== undefined) moments.push(outlookMs);
    if (this.mayFill) moments.push(lastActionMs + choices.settings.idleDelayMs);
    const ahead = moments.filter((moment) => moment > now);
    return ahead.length === 0 ? undefined : Math.min(...ahead);
  }

  private hasWork(timeline: PreviewTimeline, now: Milliseconds): boolean {
    const { advice, player, savings, stage } = this.engine;
    const { other, lanes } = stage;
    const { isPlaying } = player;
    if (timeline.hasUnkeyed || other?.hasUnkeyed) return true;
    if (!isPlaying && (timeline.hasUnestimated || lanes?.hasUnkeyed)) return true;
    return advice.isDue || savings.isDue(isPlaying) || this.isOutlookDue(now);
  }

  /** While playing, what is held changes with every frame, and the answer is being played. */
  private isOutlookDue(now: Milliseconds): boolean {
    const { calibration, outlook, player, trials } = this.engine;
    if (player.isPlaying || trials.isRunning || !calibration.isDone) return false;
    const dueMs = outlook.dueMs(now);
    return dueMs !== undefined && dueMs <= now;
  }

  /** When playback needs the engine again; what arrives before wakes it too. */
  private nextShowMs(transport: Transport, timeline: PreviewTimeline, now: Milliseconds): Milliseconds {
    const { player } = this.engine;
    const { clock, shownStep } = transport;
    const byClock = stepAt(clock, now, player.budgetMs);
    if (byClock <= shownStep) return transport.dueMs(shownStep + 1);
    const due = clock.pacing === "keep time" ? byClock : shownStep + 1;
    const frame = frameOfStep(clock, due, player.range);
    // It fell due while the last actions were carried out.
    if (frame === undefined || timeline.isInMemory(frame)) return now;
    return transport.dueMs(byClock + 1);
  }
}
