import fc from "fast-check";
import { fillForecast, isSampleDue, withSample, type FillSample } from "./forecast";

const HOUR = 3600 * 1000;
const DAY = 24 * HOUR;

test("room over growth says when a location is full", () => {
  const samples = [
    { atMs: 0, bytes: 100 },
    { atMs: HOUR, bytes: 200 },
    { atMs: 2 * DAY, bytes: 100 + 20 * 172_800 },
  ];
  // 20 bytes a second; 500 more take 25 s.
  expect(fillForecast(samples, 500, 2 * DAY)).toEqual({ growth: 20, fullAtMs: 2 * DAY + 25_000 });
  expect(fillForecast(samples, 0, 2 * DAY)).toEqual({ growth: 20, fullAtMs: 2 * DAY });
});

test("one fill that is complete does not go on for ever, and what is being emptied does not grow", () => {
  const filled = [
    { atMs: 0, bytes: 0 },
    { atMs: 10 * 60_000, bytes: 1e9 },
    { atMs: 15 * 60_000, bytes: 1e9 },
  ];
  expect(fillForecast(filled, 2e9, 15 * 60_000)!.fullAtMs).toBeCloseTo(15 * 60_000 + 2 * DAY, -3);
  const emptied = [...filled, { atMs: 20 * 60_000, bytes: 7e8 }];
  expect(fillForecast(emptied, 2e9, 20 * 60_000)).toEqual({ growth: 0 });
});

test("what does not grow is never full; what was hardly watched is not judged", () => {
  const still = [
    { atMs: 0, bytes: 900 },
    { atMs: 90_000, bytes: 800 },
  ];
  expect(fillForecast(still, 500, 90_000)).toEqual({ growth: 0 });
  expect(fillForecast(still, 500, 59_000)).toBeUndefined();
  expect(fillForecast([], 500, 90_000)).toBeUndefined();
});

test("only the last three days count", () => {
  const samples = [
    { atMs: 0, bytes: 0 },
    { atMs: 5 * DAY, bytes: 1e9 },
    { atMs: 6 * DAY, bytes: 1e9 + 86_400_000 },
  ];
  expect(fillForecast(samples, 1e6, 6 * DAY)!.growth).toBeCloseTo(1000);
});

test("it is noted once a minute, and again when the clock was set back", () => {
  expect(isSampleDue([], 0)).toBe(true);
  const samples = [{ atMs: 1e12, bytes: 1 }];
  expect(isSampleDue(samples, 1e12 + 59_000)).toBe(false);
  expect(isSampleDue(samples, 1e12 + 60_000)).toBe(true);
  expect(isSampleDue(samples, 1e12 - HOUR)).toBe(true);
});

test("samples stay in order, few, and within a week, whatever the clock does", () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: -HOUR, max: 3 * HOUR }), { minLength: 1, maxLength: 400 }), (steps) => {
      let samples: FillSample[] = [];
      let atMs = 100 * DAY;
      for (const step of steps) {
        atMs += step;
        samples = withSample(samples, { atMs, bytes: 1 });
        expect(samples.at(-1)).toEqual({ atMs, bytes: 1 });
      }
      const times = samples.map((sample) => sample.atMs);
      expect(times).toEqual([...new Set(times)].sort((a, b) => a - b));
      expect(times[0]).toBeGreaterThanOrEqual(atMs - 6 * DAY);
      const old = times.filter((time) => time < atMs - DAY);
      old.slice(1).forEach((time, index) => expect(time - old[index]!).toBeGreaterThanOrEqual(HOUR));
    }),
  );
});
