import fc from "fast-check";
import { Transport } from "./transport";

const BUDGET = 40;
const clock = { startMs: 1000, startFrame: 0, speed: 1, loop: false };

test("keeping time, a late frame moves none of those that follow", () => {
  const run = new Transport({ ...clock, pacing: "keep time" }, BUDGET);
  expect(run.show(0, 1000)).toBe(0);
  expect(run.show(1, 1500)).toBe(0);
  expect(run.dueMs(2)).toBe(1080);
});

test("showing every frame, all later ones are due that much later; less than a frame is not a stall", () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 500 }), (lateBy) => {
      const run = new Transport({ ...clock, pacing: "show every frame" }, BUDGET);
      run.show(0, 1000);
      const stall = run.show(1, 1040 + lateBy);
      expect(stall).toBe(lateBy > BUDGET ? lateBy : 0);
      expect(run.dueMs(2)).toBe(1080 + stall);
    }),
  );
});

test("the rate is that of the frames that were really shown", () => {
  const run = new Transport({ ...clock, pacing: "keep time" }, BUDGET);
  expect(run.reachedRate).toBe(0);
  run.show(0, 1000);
  expect(run.reachedRate).toBe(0);
  run.skip(1);
  run.show(2, 1080);
  run.skip(3);
  run.show(4, 1160);
  expect(run.reachedRate).toBe(12.5);
  expect(run.skipped).toBe(2);
  expect(run.shownStep).toBe(4);
});
