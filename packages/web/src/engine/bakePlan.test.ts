import { NO_BAKES, buildGraph, costSample, FULL_QUALITY, inOrder, type Document } from "@kinetocache/core";
import { document, effect, layer } from "../../../../testing/documents";
import { suggestBakes } from "./bakePlan";
import { CostBook } from "./frameCosts";
import { PreviewTimeline } from "./previewTimeline";

const opened = document([
  layer("sky", "noise", { evolution: 1 }),
  layer("birds", "flock", { count: 400, wingspan: 40 }, { effects: [effect("glow")] }),
]);
const range = { in: 0, out: 24 };
const ROOM = 2 ** 30;

/** A timeline on which every unit of work takes as long, and reading took so much. */
function timeline(value: Document, readMs?: number) {
  const book = new CostBook();
  const model = book.modelOf("cpu-1");
  for (const frame of [3, 9])
    for (const node of inOrder(buildGraph(value, frame, FULL_QUALITY).root)) {
      const sample = costSample(node, 0);
      model.add({ ...sample, ms: sample.units / 1000 });
    }
  if (readMs !== undefined) model.add({ key: "0", kind: "sequence", layer: null, units: 64 * 36, ms: readMs });
  const made = new PreviewTimeline(value, FULL_QUALITY, NO_BAKES, book, { inMemory: () => false, onDisk: () => false });
  made.computeKeys(Infinity);
  return { made, model };
}

interface Circumstances {
  readonly readMs?: number;
  readonly budgetMs?: number;
}

const suggest = (
  change: Partial<Parameters<typeof suggestBakes>[5]> = {},
  { readMs, budgetMs = 5 }: Circumstances = { readMs: 0.5 },
) => {
  const { made, model } = timeline(opened, readMs);
  return suggestBakes(made, range, budgetMs, model, undefined, {
    fraction: 1,
    depth: "8-bit",
    roomBytes: ROOM,
    ...change,
  });
};

test("the heavy layer is suggested, with what a frame takes before and then", () => {
  const plan = suggest({}, { readMs: 0.5, budgetMs: 20 });
  expect(plan.chosen).toContain("birds");
  expect(plan).toMatchObject({ composition: "main", range });
  expect(plan.meanThenMs).toBeLessThan(plan.meanBeforeMs);
  expect(plan.withinThen).toBeGreaterThan(plan.withinBefore);
});

test("reading takes what its pixels take, and what asking for them took so far", () => {
  // 64 × 36 pixels of 4 bytes at 180 kB a millisecond.
  const pixelsMs = 9216 / 180_000;
  expect(suggest({}, {}).readMs).toBeCloseTo(pixelsMs, 6);
  // 25 ms for one size: asking is as long for a quarter of the pixels.
  expect(suggest({}, { readMs: 25 }).readMs).toBeCloseTo(25, 6);
  expect(suggest({ fraction: 0.5 }, { readMs: 25 }).readMs).toBeCloseTo(25 - 0.75 * pixelsMs, 6);
});

test("without room nothing is suggested; a whole at the preview's own size is left to the cache", () => {
  expect(suggest({ roomBytes: 0 }).chosen).toEqual([]);
  expect(suggest().chosen).not.toContain("");
});
