import type { FrameNumber, Milliseconds } from "../composition";
import type { Bytes } from "../machine";

/** Where a shown frame came from. */
export type Origin = "memory" | "disk" | "rendered" | "skipped";

export interface TakeFrame {
  readonly frame: FrameNumber;
  /** Milliseconds from the start of the take. */
  readonly dueMs: Milliseconds;
  /** Undefined when it was skipped. */
  readonly shownMs?: Milliseconds;
  readonly origin: Origin;
}

export interface TakeSummary {
  readonly frames: number;
  /** Share of frames shown before the next one was due, 0 to 1. */
  readonly onTimeShare: number;
  /** Frames shown a second, over the length of the take. */
  readonly reachedRate: number;
  readonly late: number;
  readonly skipped: number;
  /** Longest time without a new picture. */
  readonly longestStallMs: Milliseconds;
  readonly hits: Readonly<Record<Origin, number>>;
  readonly bytesRead: Bytes;
}

/** Whether a frame was shown before the next one was due. */
export function isOnTime({ shownMs, dueMs }: TakeFrame, budgetMs: Milliseconds): boolean {
  return shownMs !== undefined && shownMs < dueMs + budgetMs;
}

/**
 * @param frames in the order in which they were due
 * @param bytesRead bytes fetched from disk meanwhile
 */
export function summariseTake(frames: readonly TakeFrame[], budgetMs: Milliseconds, bytesRead: Bytes): TakeSummary {
  const hits: Record<Origin, number> = { memory: 0, disk: 0, rendered: 0, skipped: 0 };
  let onTime = 0;
  let lastShownMs = 0;
  let longestStallMs = 0;
  for (const frame of frames) {
    hits[frame.origin]++;
    if (isOnTime(frame, budgetMs)) onTime++;
    if (frame.shownMs === undefined) continue;
    longestStallMs = Math.max(longestStallMs, frame.shownMs - lastShownMs);
    lastShownMs = frame.shownMs;
  }
  const shown = frames.length - hits.skipped;
  const lastDueMs = frames.at(-1)?.dueMs ?? 0;
  // The last picture stands for one budget; what comes later than that has lengthened the take.
  const lengthMs = Math.max(lastDueMs, lastShownMs) + budgetMs;
  longestStallMs = Math.max(longestStallMs, lastDueMs + budgetMs - lastShownMs);
  return {
    frames: frames.length,
    onTimeShare: frames.length === 0 ? 0 : onTime / frames.length,
    reachedRate: frames.length === 0 ? 0 : (shown * 1000) / lengthMs,
    late: shown - onTime,
    skipped: hits.skipped,
    longestStallMs,
    hits,
    bytesRead,
  };
}

/** A take plays in real time when at least 99 % of its frames are on time and none is skipped. */
export function isRealTime(summary: TakeSummary): boolean {
  return summary.skipped === 0 && summary.onTimeShare >= 0.99;
}
