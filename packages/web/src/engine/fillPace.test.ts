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
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, costs(), 2, 30)).toBe(500);
  expect(pace.remainingMs({ costMs: 0, fetches: 10 }, costs(), 2, 30)).toBe(300);
  expect(pace.remainingMs({ costMs: 0, fetches: 0 }, costs(), 2, 30)).toBeUndefined();
});

/** Renders frame 0 so often. */
function render(pace: FillPace, startMs: number, times: readonly number[], costMs: number): number {
  let now = startMs;
  for (const tookMs of times) pace.rendered(0, (now += tookMs), now - tookMs, costMs);
  return now;
}

const costs = (...ms: number[]) => Float32Array.from(ms);

test("frames that take twice as long as was expected double the rest within four seconds", () => {
  const pace = new FillPace();
  const now = render(pace, 0, new Array<number>(20).fill(50), 50);
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, costs(50), 1, 30)).toBeCloseTo(1000);
  render(pace, now, new Array<number>(40).fill(100), 50);
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, costs(50), 1, 30)).toBeCloseTo(2000);
});

test("several workers are told from one by how frames follow each other", () => {
  const pace = new FillPace();
  // Each takes 100 ms beside another one.
  for (let n = 0; n < 10; n++) pace.rendered(0, 1000 + n * 50, 900 + n * 50, 80);
  expect(pace.remainingMs({ costMs: 800, fetches: 0 }, costs(80), 2, 30)).toBeCloseTo(500);
  expect(pace.slowdown).toBeCloseTo(100 / 80);
});

test("what frames are found to cost while they come changes nothing of the time that is left", () => {
  const pace = new FillPace();
  render(pace, 0, new Array<number>(20).fill(100), 50);
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, costs(50), 1, 30)).toBeCloseTo(2000);
  expect(pace.remainingMs({ costMs: 2000, fetches: 0 }, costs(100), 1, 30)).toBeCloseTo(2000);
});

test("what came of another state tells nothing of this one", () => {
  const pace = new FillPace();
  render(pace, 0, new Array<number>(20).fill(100), 100);
  pace.restart();
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, costs(20), 2, 30)).toBeCloseTo(500);
});

test("one frame in which the machine was busy with others does not decide", () => {
  const pace = new FillPace();
  render(pace, 0, [...new Array<number>(30).fill(100), 400, ...new Array<number>(8).fill(100)], 100);
  const ms = pace.remainingMs({ costMs: 10_000, fetches: 0 }, costs(100), 1, 30)!;
  expect(ms).toBeGreaterThan(9900);
  expect(ms).toBeLessThan(11_500);
});

test("while frames take longer than is looked back, the last eight count", () => {
  const pace = new FillPace();
  render(pace, 0, new Array<number>(20).fill(1500), 1000);
  expect(pace.remainingMs({ costMs: 1000, fetches: 0 }, costs(1000), 1, 30)).toBeCloseTo(1500);
});

test("the first frames, which take several times as long as any later, do not count for single ones", () => {
  const pace = new FillPace();
  render(pace, 0, [396, 328, 110, 103, 118, 114], 100);
  expect(pace.slowdown).toBeGreaterThan(1);
  expect(pace.slowdown).toBeLessThan(1.2);
});

test("frames that travel together count by how they follow each other, and a rest between them does not", () => {
  const pace = new FillPace();
  for (let n = 0; n < 40; n++) pace.fetched(0, 1000 + n * 10, 960 + n * 10);
  expect(pace.remainingMs({ costMs: 0, fetches: 100 }, costs(), 2, 30)).toBeCloseTo(1000);
  for (let n = 0; n < 10; n++) pace.fetched(0, 9000 + n * 20, 8960 + n * 20);
  expect(pace.remainingMs({ costMs: 0, fetches: 100 }, costs(), 2, 30)).toBeCloseTo(2000);
});
