import type { StoredTake } from "./database";
import { latestPair, partName, seriesOf, spreadOfSeries, takeCsv, takeJson, takeName, terrain } from "./takes";

const take = (change: Partial<StoredTake>): StoredTake =>
  ({
    id: 1,
    budgetMs: 40,
    range: { in: 10, out: 13 },
    frames: [
      { frame: 10, dueMs: 0, shownMs: 1.5, origin: "memory" },
      { frame: 11, dueMs: 40, shownMs: 85, origin: "rendered" },
      { frame: 12, dueMs: 80, origin: "skipped" },
    ],
    summary: { onTimeShare: 1 / 3 },
    ...change,
  }) as StoredTake;

test("a take is exported one line a frame, with what each frame cost where that is known", () => {
  expect(takeCsv(take({ costs: Float32Array.of(0, 44.5, 12) }))).toBe(
    "frame,due_ms,shown_ms,origin,on_time,cost_ms\r\n10,0.000,1.500,memory,1,\r\n11,40.000,85.000,rendered,0,44.500\r\n12,80.000,,skipped,0,12.000\r\n",
  );
  expect(takeCsv(take({}))).toContain("\r\n10,0.000,1.500,memory,1,\r\n");
});

test("as JSON it says what it is, and holds lists rather than typed arrays", () => {
  const parsed = JSON.parse(takeJson(take({ costs: Float32Array.of(1, 2, 3), name: "Before" }))) as object;
  expect(parsed).toMatchObject({ format: "kinetocache-take", version: 1, name: "Before", costs: [1, 2, 3] });
});

test("a series is a take and those that repeat it, whichever of them is asked", () => {
  const takes = [
    take({ id: 1 }),
    take({ id: 2, repeats: 1, summary: { onTimeShare: 0.5 } as never }),
    take({ id: 3 }),
    take({ id: 4, repeats: 1, summary: { onTimeShare: 0.4 } as never }),
  ];
  expect(seriesOf(takes[0]!, takes).map(({ id }) => id)).toEqual([1, 2, 4]);
  expect(seriesOf(takes[3]!, takes).map(({ id }) => id)).toEqual([1, 2, 4]);
  expect(spreadOfSeries(takes[1]!, takes)).toMatchObject({ takes: 3, most: 0.5 });
  expect(spreadOfSeries(takes[2]!, takes)).toMatchObject({ takes: 1 });
});

test("a take without a name has its number", () => {
  expect([takeName({ id: 7 }), takeName({ id: 7, name: "" }), takeName({ id: 7, name: "After baking" })]).toEqual([
    "Take 7",
    "Take 7",
    "After baking",
  ]);
});

test("charts get a value a frame, and a gap where there is none", () => {
  expect([...terrain(take({ costs: Float32Array.of(0, 44.5, 12) }))]).toEqual([
    [10, undefined],
    [11, 44.5],
    [12, 12],
  ]);
  expect([...terrain(take({}))]).toEqual([]);
});

test("the latest take stands beside the one before it of the same composition, the open one where it has any", () => {
  const of = (id: number, document: string) => take({ id, document: { id: document } as StoredTake["document"] });
  const takes = [of(9, "estuary-map"), of(8, "night-roost"), of(7, "estuary-map"), of(6, "night-roost")];
  const ids = (open: string) => latestPair(takes, open).map(({ id }) => id);
  expect(ids("night-roost")).toEqual([8, 6]);
  expect(ids("flyway-titles")).toEqual([9, 7]);
  expect(latestPair([], "night-roost")).toEqual([]);
});

test("where time went is said by the layer's name at the time, never by an id", () => {
  const names = new Map([["sky", "Sky"]]);
  expect(partName({ layer: "sky", name: "Night sky", ms: 1 }, names)).toBe("Night sky");
  expect(partName({ layer: "sky", ms: 1 }, names)).toBe("Sky");
  expect(partName({ layer: "l-7", ms: 1 }, names)).toBe("A layer that is gone");
  expect(partName({ layer: null, ms: 1 }, names)).toBe("Stacking the layers");
  expect(partName({ layer: null, isReading: true, ms: 1 }, names)).toBe("Reading baked frames");
});
