import fc from "fast-check";
import { bakeGain, planBakes, type BakeCandidate } from "./planner";

const candidate = (id: string, costs: number[], bytes: number, change: Partial<BakeCandidate> = {}): BakeCandidate => ({
  id,
  costs,
  bytes,
  readMs: 5,
  ...change,
});

test("the gain is what each frame costs more than reading it, and never less than nothing", () => {
  expect(bakeGain({ costs: [50, 3, 20], readMs: 5 })).toBe(45 + 0 + 15);
});

test("the choice that brings the most frames under the budget is taken, not the one that saves the most time", () => {
  const totals = [200, 60, 60];
  const heavy = candidate("heavy", [150, 0, 0], 100, { readMs: 0 });
  const light = candidate("light", [0, 30, 30], 100, { readMs: 0 });
  const plan = planBakes([heavy, light], totals, 40, 100);
  expect(plan).toMatchObject({ chosen: ["light"], withinBefore: 0, withinThen: 2, bytes: 100 });
  expect(plan.meanBeforeMs).toBeCloseTo(320 / 3);
  expect(plan.meanThenMs).toBeCloseTo(260 / 3);
});

test("a whole and its part are never chosen together", () => {
  const whole = candidate("whole", [90, 90], 300);
  const part = candidate("part", [80, 80], 100, { within: ["whole"] });
  expect(planBakes([whole, part], [90, 90], 40, 1000).chosen).toEqual(["whole"]);
  expect(planBakes([whole, part], [90, 90], 40, 200).chosen).toEqual(["part"]);
});

test("without room, or where reading is slower than rendering, nothing is suggested", () => {
  expect(planBakes([candidate("a", [90], 100)], [90], 40, 99).chosen).toEqual([]);
  expect(planBakes([candidate("a", [4], 1)], [90], 40, 99).chosen).toEqual([]);
});

const candidatesWithParts = fc
  .array(
    fc.record({
      costs: fc.array(fc.integer({ min: 0, max: 60 }), { minLength: 4, maxLength: 4 }),
      bytes: fc.integer({ min: 1, max: 40 }),
      readMs: fc.integer({ min: 0, max: 20 }),
      parents: fc.uniqueArray(fc.nat(6), { maxLength: 2 }),
    }),
    { minLength: 1, maxLength: 7 },
  )
  .map((nodes) =>
    nodes.map(({ parents, ...node }, index): BakeCandidate => ({
      ...node,
      id: String(index),
      // Only earlier ones can be parents: nothing is part of itself.
      within: parents.filter((parent) => parent < index).map(String),
    })),
  );

test("no choice that keeps to the rules is better, whatever is part of what", () => {
  fc.assert(
    fc.property(candidatesWithParts, fc.integer({ min: 0, max: 120 }), (candidates, room) => {
      const totals = [60, 90, 120, 150];
      const plan = planBakes(candidates, totals, 60, room);
      const parentsOf = new Map(candidates.map(({ id, within }) => [id, within ?? []]));
      const isAbove = (a: string, b: string): boolean =>
        (parentsOf.get(b) ?? []).some((parent) => parent === a || isAbove(a, parent));
      const valueOf = (chosen: readonly BakeCandidate[]) => {
        const costs = totals.map((ms, frame) => chosen.reduce((sum, one) => sum - one.costs[frame]! + one.readMs, ms));
        return { within: costs.filter((ms) => ms <= 60).length, total: costs.reduce((sum, ms) => sum + ms, 0) };
      };
      const chosen = candidates.filter(({ id }) => plan.chosen.includes(id));
      expect(valueOf(chosen).within).toBe(plan.withinThen);
      expect(chosen.reduce((sum, { bytes }) => sum + bytes, 0)).toBe(plan.bytes);
      expect(plan.bytes).toBeLessThanOrEqual(room);
      for (let mask = 0; mask < 2 ** candidates.length; mask++) {
        const set = candidates.filter((_, index) => mask & (1 << index));
        if (set.reduce((sum, { bytes }) => sum + bytes, 0) > room) continue;
        if (set.some((a) => set.some((b) => isAbove(a.id, b.id)))) continue;
        // What gains nothing on any frame is never worth its space.
        if (set.some((one) => bakeGain(one) === 0)) continue;
        const value = valueOf(set);
        expect(value.within).toBeLessThanOrEqual(plan.withinThen);
        if (value.within === plan.withinThen) expect(value.total).toBeGreaterThanOrEqual(valueOf(chosen).total - 1e-6);
      }
    }),
    { numRuns: 60 },
  );
});
