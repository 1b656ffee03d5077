import { isOnTime, isRealTime, summariseTake, type TakeFrame } from "./take";

const shown = (frame: number, lateMs: number, origin: TakeFrame["origin"] = "memory"): TakeFrame => ({
  frame,
  dueMs: frame * 40,
  shownMs: frame * 40 + lateMs,
  origin,
});
const skipped = (frame: number): TakeFrame => ({ frame, dueMs: frame * 40, origin: "skipped" });

test("a frame is on time when it is shown before the next one is due", () => {
  expect(isOnTime(shown(1, 39.9), 40)).toBe(true);
  expect(isOnTime(shown(1, 40), 40)).toBe(false);
  expect(isOnTime(skipped(1), 40)).toBe(false);
});

test("four frames worked out by hand", () => {
  const summary = summariseTake([shown(0, 2), shown(1, 50, "rendered"), skipped(2), shown(3, 10, "disk")], 40, 123);
  expect(summary).toEqual({
    frames: 4,
    onTimeShare: 0.5,
    // Three pictures; the last was shown at 130 ms and stands for 40.
    reachedRate: 3000 / 170,
    late: 1,
    skipped: 1,
    longestStallMs: 88,
    hits: { memory: 1, disk: 1, rendered: 1, skipped: 1 },
    bytesRead: 123,
  });
});

test("a take of frames all on time is real time at its own rate", () => {
  const summary = summariseTake(
    Array.from({ length: 100 }, (_, frame) => shown(frame, 1)),
    40,
    0,
  );
  expect(isRealTime(summary)).toBe(true);
  expect(summary.reachedRate).toBeCloseTo(25, 1);
});

test("one skipped frame in a thousand is not real time, and an empty take claims nothing", () => {
  expect(
    isRealTime(summariseTake([...Array.from({ length: 999 }, (_, frame) => shown(frame, 1)), skipped(999)], 40, 0)),
  ).toBe(false);
  expect(summariseTake([], 40, 0)).toMatchObject({ onTimeShare: 0, reachedRate: 0, frames: 0 });
});
