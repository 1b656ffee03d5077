import fc from "fast-check";
import type { TakeFrame } from "@kinetocache/core";
import { frameColumns } from "./frameColumns";

const BUDGET = 40;
const shown = (frame: number, latenessMs: number): TakeFrame => ({
  frame,
  dueMs: frame * BUDGET,
  shownMs: frame * BUDGET + latenessMs,
  origin: "rendered",
});
const skipped = (frame: number): TakeFrame => ({ frame, dueMs: frame * BUDGET, origin: "skipped" });

test("a frame is on time, late or skipped, and a late one is as high as it was late", () => {
  const columns = frameColumns([shown(2, 3), shown(0, 55), skipped(1)], BUDGET);
  expect(columns.map(({ first, state, latenessMs }) => [first, state, latenessMs])).toEqual([
    [0, "late", 55],
    [1, "skipped", 0],
    [2, "on time", 3],
  ]);
});

test("of a long take no late or skipped frame is lost in its column", () => {
  const frame = fc.record({
    kind: fc.constantFrom("on time", "late", "skipped"),
    after: fc.integer({ min: 0, max: 39 }),
  });
  fc.assert(
    fc.property(fc.array(frame, { minLength: 1, maxLength: 3000 }), (all) => {
      const take = all.map(({ kind, after }, at) =>
        kind === "skipped" ? skipped(at) : shown(at, kind === "late" ? BUDGET + after : after),
      );
      const columns = frameColumns(take, BUDGET);
      expect(columns.length).toBeLessThanOrEqual(480);
      expect([columns[0]!.first, columns.at(-1)!.last]).toEqual([0, all.length - 1]);
      const sum = (of: "late" | "skipped") => columns.reduce((total, column) => total + column[of], 0);
      expect(sum("late")).toBe(all.filter(({ kind }) => kind === "late").length);
      expect(sum("skipped")).toBe(all.filter(({ kind }) => kind === "skipped").length);
    }),
    { numRuns: 40 },
  );
});
