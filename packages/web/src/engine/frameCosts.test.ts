import { buildGraph, FULL_QUALITY, stillKeys, type CostSample, type RendererClass } from "@kinetocache/core";
import { moving } from "../../../../testing/engine";
import { CostBook, FrameCosts, type FrameTiming } from "./frameCosts";

const opened = moving();
const graphs = Array.from({ length: 24 }, (_, frame) => buildGraph(opened, frame, FULL_QUALITY));
const still = (frame: number) => stillKeys(opened, frame, FULL_QUALITY);

/** One sample for each node that a renderer evaluates, each taking `ms`. */
function samples(frame: number, ms: number): CostSample[] {
  const { root } = graphs[frame]!;
  const place = root.inputs[0]!;
  const source = place.inputs[0]!;
  return [source, place, root].map(({ key, kind, layer }) => ({ key, kind, layer, units: 1000, ms }));
}

/** A frame that took `ms`, and what was measured of it. */
function timing(ms: number, costs: readonly CostSample[], change: Partial<FrameTiming> = {}): FrameTiming {
  return { ms, costs, nodesTimed: true, renderer: "cpu-1", ...change };
}

function costs(book = new CostBook(), renderer: RendererClass = "cpu-1"): FrameCosts {
  return new FrameCosts(book, 24, opened.compositions.main!.layers, renderer);
}

test("nothing is known until something was measured; then the others are estimated from it", () => {
  const known = costs();
  known.place(1, graphs[1]!.key, graphs[1]!.root, still(1));
  expect(known.costs[1]).toBe(0);
  expect(known.layerSummary(1, { in: 0, out: 24 })[0]).toMatchObject({ playheadMs: undefined, rangeMs: undefined });
  known.record(graphs[0]!.key, [0], timing(30, samples(0, 10)), still(0));
  known.place(1, graphs[1]!.key, graphs[1]!.root, still(1));
  expect(known.costs[1]).toBeGreaterThan(0);
  expect([...known.measured.subarray(0, 2)]).toEqual([1, 0]);
});

test("what a still branch took is not charged to the frame that happened to come first", () => {
  const known = costs();
  known.record(graphs[0]!.key, [0], timing(30, samples(0, 10)), still(0));
  // The solid is the same in every frame; placing and stacking it are not.
  expect(known.costs[0]).toBe(20);
  expect(known.layerSummary(0, { in: 0, out: 24 })[0]).toMatchObject({ playheadMs: 10, measured: true });
});

test("a measurement stays known by its key through a change of timeline, and holds for each of its frames", () => {
  const book = new CostBook();
  const known = costs(book);
  known.record(graphs[3]!.key, [3, 4, 9], timing(25, samples(3, 10).slice(1)), still(3));
  expect([3, 4, 9].map((frame) => known.costs[frame])).toEqual([25, 25, 25]);
  const next = costs(book);
  next.place(7, graphs[3]!.key, graphs[3]!.root, still(3));
  expect(next.costs[7]).toBe(25);
  expect(next.measured[7]).toBe(1);
});

test("what the disk says of an earlier session is a measurement of the whole, not of its layers", () => {
  const book = new CostBook();
  const known = costs(book);
  book.learn(graphs[2]!.key, 55);
  known.place(2, graphs[2]!.key, graphs[2]!.root, still(2));
  expect(known.costs[2]).toBe(55);
  expect(known.measured[2]).toBeGreaterThan(0);
  expect(known.layerSummary(2, { in: 2, out: 3 })[0]).toMatchObject({ measured: false, rangeMeasured: false });
  known.record(graphs[2]!.key, [2], timing(40, samples(2, 10).slice(1)), still(2));
  expect(book.measured(graphs[2]!.key)?.ms).toBe(40);
  book.learn(graphs[2]!.key, 99);
  expect(book.measured(graphs[2]!.key)?.ms).toBe(40);
});

test("the mean over a range is measured only when every frame of it is", () => {
  const known = costs();
  const summary = () => known.layerSummary(0, { in: 0, out: 2 })[0]!;
  known.record(graphs[0]!.key, [0], timing(20, samples(0, 10).slice(1)), still(0));
  expect(summary()).toMatchObject({ rangeMs: 5, rangeMeasured: false });
  known.record(graphs[1]!.key, [1], timing(40, samples(1, 20).slice(1)), still(1));
  expect(summary()).toMatchObject({ rangeMs: 15, rangeMeasured: true });
});

test("a device that times no single effect is measured as a whole, and its layers are an estimate", () => {
  const known = costs(new CostBook(), "gpu-1");
  known.record(
    graphs[0]!.key,
    [0],
    timing(30, samples(0, 10).slice(1), { renderer: "gpu-1", nodesTimed: false }),
    still(0),
  );
  expect(known.costs[0]).toBe(30);
  expect(known.layerSummary(0, { in: 0, out: 1 })[0]).toMatchObject({ measured: false, rangeMeasured: false });
});

test("what one renderer took says nothing about another", () => {
  const book = new CostBook();
  costs(book).record(graphs[0]!.key, [0], timing(30, samples(0, 10)), still(0));
  expect([book.isNew("cpu-1"), book.isNew("gpu-1")]).toEqual([false, true]);
  const estimate = (renderer: RendererClass) => {
    const known = costs(book, renderer);
    known.place(1, graphs[1]!.key, graphs[1]!.root, still(1));
    return known.costs[1];
  };
  expect(estimate("gpu-1")).toBe(0);
  expect(estimate("cpu-1")).toBeGreaterThan(0);
});

test("a branch that was taken over is charged as if it had been rendered, unless it stays still", () => {
  const known = costs();
  const key = graphs[0]!.root.inputs[0]!.key;
  const taken = [{ key, layer: "square", costMs: 12 }];
  known.record(graphs[0]!.key, [0], timing(10, samples(0, 10).slice(2)), new Set(), taken);
  expect(known.costs[0]).toBe(22);
  expect(known.layerSummary(0, { in: 0, out: 1 })[0]).toMatchObject({ playheadMs: 12 });
  known.record(graphs[1]!.key, [1], timing(10, samples(1, 10).slice(2)), new Set([key]), taken);
  expect(known.costs[1]).toBe(10);
});

test("a layer costs nothing outside the frames in which it can show", () => {
  const range = { in: 8, out: 12 };
  const known = new FrameCosts(new CostBook(), 24, [{ id: "square", range }], "cpu-1");
  known.record("key", [7, 8, 11, 12], timing(20, [{ ...samples(0, 10)[0]!, layer: "square" }]), new Set());
  expect([...known.costsOf("square", { in: 6, out: 10 })]).toEqual([0, 0, 10, 0]);
  expect([...known.costsOf("square", { in: 11, out: 24 })]).toEqual([10, ...new Array<number>(12).fill(0)]);
  expect([...known.costsOf("square", { in: 0, out: 4 })]).toEqual([0, 0, 0, 0]);
  expect(known.layerSummary(11, { in: 0, out: 24 })[0]).toMatchObject({ playheadMs: 10, rangeMs: 20 / 24 });
  expect(known.layerSummary(7, { in: 6, out: 8 })[0]).toMatchObject({ playheadMs: 0, rangeMs: 0 });
});
