import { simulateLoop, type Simulation } from "./simulator";

const base: Simulation = {
  frames: 60,
  room: 50,
  passes: 6,
  budgetMs: 40,
  renderMs: 30,
  workers: 2,
  eviction: "playback",
};
const last = (change: Partial<Simulation>) => simulateLoop({ ...base, ...change }).at(-1)!;

test("a loop that fits is rendered once and then all hits", () => {
  expect(simulateLoop({ ...base, room: 60 }).map((pass) => pass.hits)).toEqual([0, 60, 60, 60, 60, 60]);
});

test("a loop one frame longer than memory still hits all but one frame", () => {
  expect(last({ room: 59 }).hits).toBeGreaterThanOrEqual(58);
});

test("about C of N frames are hit on a loop longer than memory, where least-recently-used hits none", () => {
  expect(last({ room: 50 }).hits).toBeGreaterThanOrEqual(48);
  expect(last({ room: 50, eviction: "leastRecentlyUsed" }).hits).toBe(0);
  expect(last({ room: 20 }).hits).toBeGreaterThanOrEqual(18);
});

test("every due frame is either shown or skipped, and in steady state a quick renderer skips none", () => {
  const passes = simulateLoop(base);
  for (const pass of passes) expect(pass.shown + pass.skipped).toBe(60);
  expect(passes.at(-1)!.skipped).toBe(0);
});

test("a renderer that is too slow shows what two workers can make", () => {
  const [first] = simulateLoop({ ...base, room: 60, renderMs: 160 });
  // Two workers at 160 ms make 12.5 frames a second, half of 25.
  expect(first!.shown).toBeGreaterThan(26);
  expect(first!.shown).toBeLessThan(32);
});
