import type { Bytes } from "../machine";

/** How full a location was at a moment, in milliseconds since the epoch. */
export interface FillSample {
  readonly atMs: number;
  readonly bytes: Bytes;
}

/** What growth is judged by: long enough to level out a day's work, short enough to be the present one. */
const LOOK_BACK_MS = 3 * 24 * 3600 * 1000;
/** Growth over less than this says nothing of the next days. */
const SHORTEST_MS = 60 * 1000;

/** How often it is noted how full a location is. */
const SAMPLE_MS = 60 * 1000;

/** Whether it is time to note how full a location is; also when the clock was set back. */
export function isSampleDue(samples: readonly FillSample[], nowMs: number): boolean {
  const last = samples.at(-1);
  return !last || Math.abs(nowMs - last.atMs) >= SAMPLE_MS;
}

export interface FillForecast {
  /** Bytes a second at which it grew. */
  readonly growth: number;
  /** When the room is used up if it goes on like that, in milliseconds since the epoch; undefined while it does not grow. */
  readonly fullAtMs?: number;
}

/** What a fill adds within minutes goes on for no day: growth is told of days, and before the first has passed of one. */
const SHORTEST_MEAN_MS = 24 * 3600 * 1000;

/**
 * Room divided by the mean growth over the last three days, or for as long as there are samples, a day at least. What
 * shrank last is not growing.
 * @param samples oldest first
 * @param roomBytes what is left below the cap and on the drive
 * @returns undefined where less than a minute was seen
 */
export function fillForecast(
  samples: readonly FillSample[],
  roomBytes: Bytes,
  nowMs: number,
): FillForecast | undefined {
  const last = samples.at(-1);
  const first = samples.find(({ atMs }) => atMs >= nowMs - LOOK_BACK_MS);
  if (!last || !first || nowMs - first.atMs < SHORTEST_MS) return undefined;
  const before = samples.at(-2);
  const isShrinking = before !== undefined && last.bytes < before.bytes;
  const growth = isShrinking ? 0 : ((last.bytes - first.bytes) * 1000) / Math.max(SHORTEST_MEAN_MS, nowMs - first.atMs);
  return growth > 0 ? { growth, fullAtMs: nowMs + (Math.max(0, roomBytes) / growth) * 1000 } : { growth: 0 };
}

/** Adds a sample, and thins out old ones: one an hour is enough after a day. */
export function withSample(samples: readonly FillSample[], sample: FillSample): FillSample[] {
  const day = sample.atMs - 24 * 3600 * 1000;
  const oldest = sample.atMs - 2 * LOOK_BACK_MS;
  const kept: FillSample[] = [];
  for (const one of samples) {
    // A clock that was set back would leave samples of the future.
    if (one.atMs < oldest || one.atMs >= sample.atMs) continue;
    const before = kept.at(-1);
    if (before && one.atMs < day && one.atMs - before.atMs < 3600 * 1000) continue;
    kept.push(one);
  }
  return [...kept, sample];
}
