import { IN_MEMORY, ON_DISK } from "@kinetocache/core";
import { FillPace, restOf } from "./fillPace";

test("what is in memory takes nothing, what is on disk is read, the rest is rendered, as far as there is room", () => {
  const residency = Uint8Array.of(IN_MEMORY, ON_DISK, 0, ON_DISK | IN_MEMORY, 0, ON_DISK, 0);
  const costs = Float32Array.of(1, 2, 4, 8, 16, 32, 64);
  const all = { in: 0, out: 7 };
  expect(restOf({ residency, costs }, all, 9, true)).toEqual({ renders: 3, costMs: 84, fetches: 2 });
  expect(restOf({ residency, costs }, all, 3, false)).toEqual({ renders: 2, costMs: 20, fetches: 1 });
  expect(restOf({ residency, costs }, all, 3, true)).toEqual({ renders: 3, costMs: 84, fetches: 1 });
  expect(restOf({ residency, costs }, { in: 3, out: 5 }, 9, true)).toEqual({ renders: 1, costMs: 16, fetches: 0 });
});

test("before anything is known, costs are shared out over the workers", () => {
  const pace = new FillPace();
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, 2, 30)).toBe(500);
  expect(pace.remainingMs({ costMs: 0, fetches: 10 }, 2, 30)).toBe(300);
  expect(pace.remainingMs({ costMs: 0, fetches: 0 }, 2, 30)).toBeUndefined();
});

test("frames that take twice as long as was expected double the rest after some ten of them", () => {
  const pace = new FillPace();
  for (let n = 0; n < 20; n++) pace.rendered(50, 50);
  for (let n = 0; n < 20; n++) pace.rendered(100, 50);
  const ms = pace.remainingMs({ costMs: 1000, fetches: 0 }, 2, 30)!;
  expect(ms).toBeGreaterThan(850);
  expect(ms).toBeLessThanOrEqual(1000);
});

test("the first frames, which take several times as long as any later, do not count for long", () => {
  const pace = new FillPace();
  for (const tookMs of [396, 328, 110, 103, 118, 114]) pace.rendered(tookMs, 100);
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, 1, 30)! / 1100).toBeGreaterThan(0.9);
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, 1, 30)! / 1100).toBeLessThan(1.1);
});

test("frames that travel together count by how they follow each other, and a rest between them does not", () => {
  const pace = new FillPace();
  for (let n = 0; n < 40; n++) pace.fetched(1000 + n * 10, 960 + n * 10);
  pace.fetched(9000, 8990);
  expect(pace.remainingMs({ costMs: 0, fetches: 100 }, 2, 30)).toBeCloseTo(1000, -1);
});
