import {
  applyEdit,
  buildGraph,
  costSample,
  FULL_QUALITY,
  stillKeys,
  type CostSample,
  type RendererClass,
} from "@kinetocache/core";
import { moving } from "../../../../testing/engine";
import { CostBook, FrameCosts, type FrameTiming, type TakenBranch } from "./frameCosts";

const opened = moving();
const graphs = Array.from({ length: 24 }, (_, frame) => buildGraph(opened, frame, FULL_QUALITY));
const still = (frame: number) => stillKeys(opened, frame, FULL_QUALITY);

/** One sample for each node that a renderer evaluates, each taking `ms`. */
function samples(frame: number, ms: number): CostSample[] {
  const { root } = graphs[frame]!;
  const place = root.inputs[0]!;
  const source = place.inputs[0]!;
  return [source, place, root].map((node) => costSample(node, ms));
}

/** A frame that took `ms`, and what was measured of it. */
function timing(ms: number, costs: readonly CostSample[], change: Partial<FrameTiming> = {}): FrameTiming {
  return { ms, costs, nodesTimed: true, renderer: "cpu-1", pixels: 64 * 36, ...change };
}

/** Takes a measurement in, and sets the frames that it is of. */
function measure(
  known: FrameCosts,
  frame: number,
  took: FrameTiming,
  {
    stays = still(frame),
    taken = [],
    alike = [frame],
  }: Partial<{
    stays: ReadonlySet<string>;
    taken: readonly TakenBranch[];
    alike: readonly number[];
  }> = {},
): void {
  const { key } = graphs[frame]!;
  known.record(key, took, stays, taken);
  known.place(alike, key, graphs[frame]!, stays);
}

const place = (known: FrameCosts, frame: number, as = frame) =>
  known.place([frame], graphs[as]!.key, graphs[as]!, still(as));

function costs(book = new CostBook(), renderer: RendererClass = "cpu-1"): FrameCosts {
  return new FrameCosts(book, 24, opened.compositions.main!.layers, renderer);
}

test("nothing is known until something was measured; then the others are estimated from it", () => {
  const known = costs();
  place(known, 1);
  expect(known.costs[1]).toBe(0);
  expect(known.layerSummary(1, { in: 0, out: 24 })[0]).toMatchObject({ playheadMs: undefined, rangeMs: undefined });
  measure(known, 0, timing(30, samples(0, 10)));
  place(known, 1);
  expect(known.costs[1]).toBeGreaterThan(0);
  expect([...known.measured.subarray(0, 2)]).toEqual([1, 0]);
});

test("what a still branch took is not charged to the frame that happened to come first", () => {
  const known = costs();
  measure(known, 0, timing(30, samples(0, 10)));
  // The solid is the same in every frame; placing and stacking it are not.
  expect(known.costs[0]).toBe(20);
  expect(known.layerSummary(0, { in: 0, out: 24 })[0]).toMatchObject({ playheadMs: 10, measured: true });
});

test("a measurement stays known by its key through a change of timeline, and holds for each of its frames", () => {
  const book = new CostBook();
  const known = costs(book);
  measure(known, 3, timing(25, samples(3, 10).slice(1)), { alike: [3, 4, 9] });
  expect([3, 4, 9].map((frame) => known.costs[frame])).toEqual([25, 25, 25]);
  const next = costs(book);
  place(next, 7, 3);
  expect(next.costs[7]).toBe(25);
  expect(next.measured[7]).toBe(1);
});

test("what the disk says of an earlier session is a measurement of the whole, not of its layers", () => {
  const book = new CostBook();
  const known = costs(book);
  book.learn(graphs[2]!.key, 55);
  place(known, 2);
  expect(known.costs[2]).toBe(55);
  expect(known.measured[2]).toBeGreaterThan(0);
  expect(known.layerSummary(2, { in: 2, out: 3 })[0]).toMatchObject({ measured: false, rangeMeasured: false });
  measure(known, 2, timing(40, samples(2, 10).slice(1)));
  expect(book.measured(graphs[2]!.key)?.ms).toBe(40);
  book.learn(graphs[2]!.key, 99);
  expect(book.measured(graphs[2]!.key)?.ms).toBe(40);
});

test("the mean over a range is measured only when every frame of it is", () => {
  const known = costs();
  const summary = () => known.layerSummary(0, { in: 0, out: 2 })[0]!;
  measure(known, 0, timing(20, samples(0, 10).slice(1)));
  expect(summary()).toMatchObject({ rangeMs: 5, rangeMeasured: false });
  measure(known, 1, timing(40, samples(1, 20).slice(1)));
  expect(summary()).toMatchObject({ rangeMs: 15, rangeMeasured: true });
});

test("a device that times no single effect is measured as a whole, and its layers are an estimate", () => {
  const known = costs(new CostBook(), "gpu-1");
  measure(known, 0, timing(30, samples(0, 10).slice(1), { renderer: "gpu-1", nodesTimed: false }));
  expect(known.costs[0]).toBe(30);
  expect(known.layerSummary(0, { in: 0, out: 1 })[0]).toMatchObject({ measured: false, rangeMeasured: false });
});

test("what one renderer took says nothing about another", () => {
  const book = new CostBook();
  costs(book).record(graphs[0]!.key, timing(30, samples(0, 10)), still(0));
  expect([book.framesOn("cpu-1"), book.framesOn("gpu-1")]).toEqual([1, 0]);
  const estimate = (renderer: RendererClass) => {
    const known = costs(book, renderer);
    place(known, 1);
    return known.costs[1];
  };
  expect(estimate("gpu-1")).toBe(0);
  expect(estimate("cpu-1")).toBeGreaterThan(0);
});

test("a branch that was taken over is charged as if it had been rendered, unless it stays still", () => {
  const known = costs();
  const key = graphs[0]!.root.inputs[0]!.key;
  const taken = [{ key, layer: "square", costMs: 12 }];
  measure(known, 0, timing(10, samples(0, 10).slice(2)), { stays: new Set(), taken });
  expect(known.costs[0]).toBe(22);
  expect(known.layerSummary(0, { in: 0, out: 1 })[0]).toMatchObject({ playheadMs: 12 });
  measure(known, 1, timing(10, samples(1, 10).slice(2)), { stays: new Set([key]), taken });
  expect(known.costs[1]).toBe(10);
});

test("a layer costs nothing outside the frames in which it can show", () => {
  const range = { in: 8, out: 12 };
  const known = new FrameCosts(new CostBook(), 24, [{ id: "square", range }], "cpu-1");
  measure(known, 0, timing(20, [{ ...samples(0, 10)[0]!, layer: "square" }]), {
    stays: new Set(),
    alike: [7, 8, 11, 12],
  });
  expect([...known.costsOf("square", { in: 6, out: 10 })]).toEqual([0, 0, 10, 0]);
  expect([...known.costsOf("square", { in: 11, out: 24 })]).toEqual([10, ...new Array<number>(12).fill(0)]);
  expect([...known.costsOf("square", { in: 0, out: 4 })]).toEqual([0, 0, 0, 0]);
  expect(known.layerSummary(11, { in: 0, out: 24 })[0]).toMatchObject({ playheadMs: 10, rangeMs: 20 / 24 });
  expect(known.layerSummary(7, { in: 6, out: 8 })[0]).toMatchObject({ playheadMs: 0, rangeMs: 0 });
});

/** Frames from 4 on, each taking 30 ms of which its layer takes 10. */
function warmedUp(book = new CostBook()): FrameCosts {
  const known = costs(book);
  for (let frame = 4; frame < 24; frame++) measure(known, frame, timing(20, samples(frame, 10).slice(1)));
  return known;
}

test("a frame that was measured once is near to what others like it cost, one measured twice is what it took", () => {
  const known = warmedUp();
  measure(known, 0, timing(40, samples(0, 20).slice(1)));
  expect(known.costs[0]).toBeGreaterThan(20);
  expect(known.costs[0]).toBeLessThan(30);
  expect(known.measured[0]).toBe(1);
  measure(known, 0, timing(40, samples(0, 20).slice(1)));
  expect(known.costs[0]).toBe(40);
});

test("one slow time of a frame is not what it costs; two are", () => {
  const known = warmedUp();
  measure(known, 0, timing(946, samples(0, 473).slice(1)));
  expect(known.costs[0]).toBeCloseTo(20, 6);
  expect(known.measured[0]).toBe(0);
  measure(known, 0, timing(900, samples(0, 450).slice(1)));
  expect(known.costs[0]).toBe(900);
  expect(known.measured[0]).toBe(1);
  measure(known, 0, timing(20, samples(0, 10).slice(1)));
  measure(known, 0, timing(20, samples(0, 10).slice(1)));
  expect(known.costs[0]).toBe(20);
});

test("a slow first frame, before anything else was measured, is looked at again", () => {
  const known = costs();
  measure(known, 0, timing(946, samples(0, 473).slice(1)));
  expect(known.costs[0]).toBe(946);
  expect(known.isSettled(0)).toBe(false);
  for (let frame = 4; frame < 24; frame++) measure(known, frame, timing(20, samples(frame, 10).slice(1)));
  place(known, 0);
  expect(known.costs[0]).toBeCloseTo(20, 6);
});

test("what took double while others had half the processor costs the same", () => {
  const known = warmedUp();
  for (let frame = 0; frame < 4; frame++)
    measure(known, frame, timing(44, samples(frame, 22).slice(1), { share: 0.5 }));
  // Half of it is 22; what was measured undisturbed said 20, and it is an estimate.
  expect(known.costs[1]).toBeCloseTo(20.2, 0);
  expect(known.measured[1]).toBe(0);
  const fresh = costs();
  for (let frame = 0; frame < 4; frame++)
    measure(fresh, frame, timing(44, samples(frame, 22).slice(1), { share: 0.5 }));
  expect(fresh.costs[1]).toBeCloseTo(22, 6);
});

test("a short node that was left alone while others had half the processor does not count half", () => {
  const known = costs();
  const took = (frame: number, short: number, long: number): CostSample[] => {
    const [, place, root] = samples(frame, 0);
    return [
      { ...place!, ms: short },
      { ...root!, ms: long },
    ];
  };
  for (let frame = 4; frame < 24; frame++) measure(known, frame, timing(42, took(frame, 2, 40)));
  // Others have their turns in slices much longer than it: it waits for one now and then, and mostly for none.
  for (let again = 0; again < 6; again++)
    for (let frame = 4; frame < 24; frame++) {
      const short = frame % 4 ? 2 : 10;
      measure(known, frame, timing(80 + short, took(frame, short, 80), { share: 0.5 }));
    }
  for (let frame = 0; frame < 24; frame++) place(known, frame);
  for (const range of [
    { in: 0, out: 4 },
    { in: 4, out: 24 },
  ])
    expect(known.layerSummary(4, range)[0]!.rangeMs).toBeCloseTo(2, 0.5);
});

test("what is drawn once for all frames is told apart", () => {
  const known = warmedUp();
  expect(known.layerSummary(4, { in: 0, out: 24 })[0]!.onceMs).toBeUndefined();
  measure(known, 0, timing(90, [{ ...samples(0, 70)[0]! }, ...samples(0, 10).slice(1)]));
  expect(known.costs[0]).toBe(20);
  expect(known.layerSummary(4, { in: 0, out: 24 })[0]).toMatchObject({ onceMs: 70, playheadMs: 10 });
});

test("the next session knows what this one measured, how often, and how much it counts", () => {
  const book = new CostBook();
  const known = warmedUp(book);
  measure(known, 6, timing(34, samples(6, 24)));
  measure(known, 6, timing(36, samples(6, 26)));
  measure(known, 7, { ...timing(80, samples(7, 60)), share: 0.5 });
  const record = structuredClone(
    book.record(
      opened.id,
      graphs.map(({ key }) => key),
    ),
  );
  expect(record.frames.keys).toHaveLength(20);
  const next = new CostBook();
  // Frames on disk may be listed before.
  next.learn(graphs[8]!.key, 500);
  next.recall(record);
  const again = costs(next);
  for (const frame of graphs.keys()) {
    place(known, frame);
    place(again, frame);
  }
  expect([...again.costs.subarray(4)]).toEqual([...known.costs.subarray(4)]);
  expect(again.costs[0]).toBeCloseTo(20, 6);
  const [summary] = known.layerSummary(4, { in: 4, out: 24 });
  expect(again.layerSummary(4, { in: 4, out: 24 })).toEqual([{ ...summary, onceMs: undefined }]);
});

test("after a split the part that is new has what was measured of the layer that no longer shows there", () => {
  const { layers } = opened.compositions.main!;
  const book = new CostBook();
  const before = new FrameCosts(book, 24, layers, "cpu-1");
  for (const frame of [14, 15]) measure(before, frame, timing(30, samples(frame, 10)));
  const wasMs = before.costsOf(layers[0]!.id, { in: 14, out: 15 })[0]!;
  expect(wasMs).toBeGreaterThan(0);
  const split = applyEdit(opened, { kind: "layerSplit", layer: layers[0]!.id, at: 12 });
  const after = new FrameCosts(book, 24, split.compositions.main!.layers, "cpu-1");
  const graph = buildGraph(split, 14, FULL_QUALITY);
  expect(graph.key).toBe(graphs[14]!.key);
  after.place([14], graph.key, graph, still(14));
  expect(after.costs[14]).toBe(before.costs[14]);
  const [, second] = split.compositions.main!.layers;
  expect(after.costsOf(second!.id, { in: 14, out: 15 })[0]).toBeCloseTo(wasMs, 4);
  expect(after.costsOf(layers[0]!.id, { in: 14, out: 15 })[0]).toBe(0);
});
