import fc from "fast-check";
import { ParallelTrial, trialSteps } from "./parallelTrial";
import { inOrder, spread } from "./trial";

test("one, then twice as many each time, and at last all cores", () => {
  expect(trialSteps(1)).toEqual([1]);
  expect(trialSteps(2)).toEqual([1, 2]);
  expect(trialSteps(12)).toEqual([1, 2, 4, 8, 12]);
});

/** Runs a trial on workers that take `frameMs` a frame, of which no more than `helpful` really run at once. */
function run(cores: number, helpful: number, frameMs = 100) {
  const trial = new ParallelTrial(cores, spread({ in: 10, out: 50 }), "processor");
  const jobs: { readonly id: number; readonly endMs: number }[] = [];
  const frames: number[] = [];
  let [now, id] = [0, 0];
  while (!trial.isDone) {
    for (let frame = trial.next(id); frame !== undefined; frame = trial.next(id)) {
      frames.push(frame.frame);
      jobs.push({ id: id++, endMs: now + frameMs * Math.max(1, trial.parallel / helpful) });
    }
    const next = jobs.splice(jobs.indexOf(jobs.reduce((a, b) => (b.endMs < a.endMs ? b : a))), 1)[0]!;
    now = next.endMs;
    expect(trial.end({ kind: "cancelled", lent: [], job: next.id }, now)).toBeUndefined();
  }
  return { trial, frames };
}

test("with cores that all help the rate grows with their number, and it stops where they do", () => {
  const { points } = run(4, 2).trial;
  expect(points.map(({ parallel, rate }) => [parallel, Math.round(rate)])).toEqual([
    [1, 10],
    [2, 20],
    [4, 20],
  ]);
});

test("whatever the machine, every frame lies in the range, progress only grows, and all steps end", () => {
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 20 }), fc.integer({ min: 1, max: 20 }), (cores, helpful) => {
      const { trial, frames } = run(cores, helpful);
      expect(frames.every((frame) => frame >= 10 && frame < 50)).toBe(true);
      expect(trial.points).toHaveLength(trialSteps(cores).length);
      expect(trial.progress).toBe(1);
    }),
    { numRuns: 40 },
  );
});

test("frames all over a range, or one after another, never leave it", () => {
  const range = fc
    .tuple(fc.integer({ min: 0, max: 500 }), fc.integer({ min: 1, max: 500 }))
    .map(([first, length]) => ({ in: first, out: first + length }));
  fc.assert(
    fc.property(range, fc.integer({ min: 0, max: 5000 }), (within, index) => {
      for (const frame of [spread(within)(index), inOrder(within)(index)]) {
        expect(Number.isInteger(frame)).toBe(true);
        expect(frame).toBeGreaterThanOrEqual(within.in);
        expect(frame).toBeLessThan(within.out);
      }
      const next = inOrder(within)(index + 1);
      expect([within.in, inOrder(within)(index) + 1]).toContain(next);
    }),
  );
});
