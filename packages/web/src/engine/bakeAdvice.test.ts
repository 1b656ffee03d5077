import {
  buildGraph,
  costSample,
  forecastTake,
  FULL_QUALITY,
  inOrder,
  IN_MEMORY,
  NO_BAKES,
  type TakeConditions,
} from "@kinetocache/core";
import { document, effect, layer } from "../../../../testing/documents";
import { adviseBakes, type BakeWay, type TriedFrame } from "./bakeAdvice";
import { CostBook } from "./frameCosts";
import { PreviewTimeline } from "./previewTimeline";
import type { SuggestedBakes } from "./protocol/event";

const opened = document([
  layer("sky", "noise", { evolution: 1 }),
  layer("birds", "flock", { count: 400, wingspan: 40 }, { effects: [effect("glow")] }),
]);
const range = { in: 0, out: 24 };
const ROOM = 2 ** 30;

interface Circumstances {
  readonly held?: readonly number[];
  readonly roomBytes?: number;
  /** What a frame takes that is tried with a way baked. */
  readonly thenMs?: (way: BakeWay) => number;
  readonly pictureBytes?: number;
  /** What the whole frame costs live. */
  readonly liveMs?: number;
  readonly fraction?: number;
  /** What share of what they were expected to frames took lately. */
  readonly slowdowns?: readonly number[];
}

const targetsOf = ({ bakes }: BakeWay) => bakes.map(({ target }) => target.layer ?? "whole");

/** What is advised, and the ways that were tried. */
function advise({
  held = [],
  roomBytes = ROOM,
  thenMs = () => 10,
  pictureBytes = 1000,
  liveMs = 150,
  fraction = 1,
  slowdowns = [],
}: Circumstances = {}) {
  const book = new CostBook();
  const settings = { ...FULL_QUALITY, fraction };
  const model = book.modelOf("cpu-1");
  for (const frame of [3, 9]) {
    const nodes = inOrder(buildGraph(opened, frame, settings).root).map((node) => costSample(node, 0));
    const units = nodes.reduce((sum, node) => sum + node.units, 0);
    for (const sample of nodes) model.add({ ...sample, ms: (liveMs * sample.units) / units });
  }
  const timeline = new PreviewTimeline(opened, settings, NO_BAKES, book, {
    inMemory: () => false,
    onDisk: () => false,
  });
  timeline.computeKeys(Infinity);
  for (const frame of held) timeline.mark(timeline.keyOf(frame), IN_MEMORY, true);
  const rendering = { costs: timeline.costs.costs, slowdown: 1, unknownMs: 0 };
  const conditions: TakeConditions = {
    range,
    duration: 24,
    budgetMs: 1000 / 24,
    residency: timeline.residency,
    renderSlots: 2,
    fetchSlots: 4,
    rendering,
    slowdowns,
    fetchMs: 5,
    window: { before: 2, after: 6 },
    memoryFits: 100,
    failed: new Set(),
    pacing: "keep time",
  };
  const run = adviseBakes({ timeline, range, conditions, model, roomBytes, readRate: undefined });
  let tried: readonly (readonly TriedFrame[])[] | undefined;
  const ways: BakeWay[] = [];
  for (;;) {
    const next = run.next(tried);
    if (next.done) return { suggested: next.value, ways, conditions };
    if (!next.value) continue;
    ways.push(...next.value);
    tried = next.value.map((way) =>
      [2, 12, 20].map((frame) => ({
        frame,
        ms: thenMs(way),
        pictures: way.bakes.map(({ id }) => {
          return { bake: id, frame, number: frame, bytes: pictureBytes * way.fraction ** 2, ms: 100 };
        }),
      })),
    );
  }
}

const shares = ({ offers }: SuggestedBakes) => offers.map(({ summary }) => summary.onTimeShare);

test("the whole and the best of its parts are tried at every size", () => {
  const { ways } = advise();
  expect(ways.map((way) => [targetsOf(way).join(), way.fraction])).toEqual(
    [1, 1 / 2, 1 / 3, 1 / 4].flatMap((fraction) => [
      [expect.stringContaining("birds") as string, fraction],
      ["whole", fraction],
    ]),
  );
});

test("what plays in real time then is offered, with the bytes and the time that was measured", () => {
  const { suggested } = advise({ thenMs: (way) => (way.fraction === 1 && way.bakes.length === 1 ? 10 : 300) });
  expect(suggested.present.onTimeShare).toBeLessThan(0.9);
  const [best] = suggested.offers;
  expect(best!.summary.onTimeShare).toBe(1);
  expect(best!.fraction).toBe(1);
  expect(best!.bytes).toBe(24 * 1000);
  // Two workers; and what is stored is read back.
  expect(best!.bakeMs).toBeCloseTo((24 * 100) / 2 + (24 * 1000) / 180_000, 6);
  expect(suggested.triedFrames).toBe(3 * 8);
});

test("frames that were tried take what they took, however far off expectations were lately", () => {
  const onTime = (...slowdowns: number[]) =>
    advise({ liveMs: 400, thenMs: () => 60, slowdowns }).suggested.offers[0]?.summary.onTimeShare;
  const even = onTime(1);
  expect(even).toBeGreaterThan(0.9);
  expect(onTime(2)).toBe(even);
  // How unevenly they did counts.
  expect(onTime(1, 1, 1, 3)).toBeLessThan(even!);
  // Neither does it make a bake better than it was when it was tried.
  expect(advise({ liveMs: 400, thenMs: () => 200, slowdowns: [0.3] }).suggested.offers).toEqual([]);
});

test("what is no quicker when it is tried is not offered, whatever was expected", () => {
  expect(advise({ thenMs: () => 150 }).suggested.offers).toEqual([]);
  // Less by what such a forecast is off.
  expect(advise({ thenMs: () => 140 }).suggested.offers).toEqual([]);
});

test("what plays in real time as it is, or is held, needs no bake, and nothing is tried", () => {
  for (const circumstances of [{ liveMs: 20 }, { held: Array.from({ length: 24 }, (_, frame) => frame) }]) {
    const { suggested, ways } = advise(circumstances);
    expect([suggested.offers, ways]).toEqual([[], []]);
    expect(suggested.present.onTimeShare).toBe(1);
  }
});

test("frames that are held count: what is said of now is the forecast of a take with them", () => {
  const held = Array.from({ length: 16 }, (_, frame) => frame);
  const { suggested, conditions } = advise({ held });
  const run = forecastTake(conditions);
  let next = run.next();
  while (!next.done) next = run.next();
  expect(suggested.present).toEqual(next.value);
  expect(suggested.present.onTimeShare).toBeGreaterThan(advise().suggested.present.onTimeShare);
});

test("softer than the preview comes after what is as sharp; what is worse in every way is left out", () => {
  const { suggested } = advise({ fraction: 0.5 });
  expect(suggested.offers.length).toBeGreaterThan(0);
  expect(suggested.offers[0]!.fraction).toBeGreaterThanOrEqual(0.5);
  expect(new Set(shares(suggested))).toEqual(new Set([1]));
  const soft = suggested.offers.findIndex(({ fraction }) => fraction < 0.5);
  expect(suggested.offers.slice(0, soft === -1 ? undefined : soft).every(({ fraction }) => fraction >= 0.5)).toBe(true);
});

test("what does not fit the room by what its pictures really take is not offered", () => {
  expect(advise({ roomBytes: 24 * 1000, pictureBytes: 1000 }).suggested.offers.length).toBeGreaterThan(0);
  const { suggested } = advise({ roomBytes: 24 * 1000, pictureBytes: 17_000 });
  expect(suggested.offers).toEqual([]);
});
