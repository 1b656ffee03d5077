import { documentKey, IN_MEMORY, ON_DISK } from "@kinetocache/core";
import { moving, SETTINGS } from "../../../../testing/engine";
import { NO_LAYER_CHOICES } from "./protocol/command";
import { TakeRecorder } from "./takeRecorder";

const BUDGET = 1000 / 24;

function recorder(residency = new Uint8Array(24)): TakeRecorder {
  const range = { in: 4, out: 10 };
  return new TakeRecorder({
    document: moving(),
    settings: SETTINGS,
    layers: NO_LAYER_CHOICES,
    bakes: [],
    missing: {},
    range,
    residency,
    expected: new Float32Array(24).fill(18),
    startMs: 5000,
  });
}

test("a take knows what it played, under which settings, and what was held when it began", () => {
  const residency = new Uint8Array(24);
  // Outside the range nothing counts.
  residency[0] = residency[20] = IN_MEMORY | ON_DISK;
  residency[4] = residency[5] = IN_MEMORY;
  residency[5]! |= ON_DISK;
  const take = recorder(residency).finish();
  expect(take.heldAtStart).toEqual({ memory: 2, disk: 1 });
  expect(take.document).toEqual({
    id: "main",
    state: documentKey(moving()),
    name: "Main",
    variant: "Original",
    width: 64,
    height: 36,
  });
  expect(take).toMatchObject({ range: { in: 4, out: 10 }, settings: SETTINGS, depth: "8-bit" });
  expect(take.document.state).not.toBe(documentKey(moving(2)));
});

test("times count from the start, due times from the step", () => {
  const take = recorder();
  take.shown(0, 4, 5003, "memory", BUDGET);
  take.skipped(1, 5, BUDGET);
  take.shown(2, 6, 5000 + 2 * BUDGET + 1, "rendered", BUDGET);
  const { frames, summary } = take.finish();
  expect(frames).toEqual([
    { frame: 4, dueMs: 0, shownMs: 3, origin: "memory" },
    { frame: 5, dueMs: BUDGET, origin: "skipped" },
    { frame: 6, dueMs: 2 * BUDGET, shownMs: expect.closeTo(2 * BUDGET + 1) as number, origin: "rendered" },
  ]);
  expect(summary).toMatchObject({ frames: 3, skipped: 1, late: 0 });
});

test("after a stall all later frames are due that much later", () => {
  const take = recorder();
  take.shown(0, 4, 5000, "rendered", BUDGET);
  take.shown(1, 5, 5400, "rendered", BUDGET);
  take.stalled(400 - BUDGET);
  take.shown(2, 6, 5400 + BUDGET, "rendered", BUDGET);
  const { summary } = take.finish();
  expect(summary).toMatchObject({ late: 1, skipped: 0 });
});

test("render time is summed by layer, the dearest first, and bytes read are those of the whole take", () => {
  const take = recorder();
  const cost = (layer: string | null, ms: number) => ({ key: "k", kind: "place" as const, layer, units: 1, ms });
  const reading = { ...cost(null, 7), kind: "sequence" as const };
  take.rendered(4, { ms: 46, costs: [cost("square", 10), cost("sky", 30), cost(null, 5)] });
  take.rendered(5, { ms: 34, costs: [cost("square", 25), reading] });
  take.read(100);
  take.read(50);
  const { layerMs, summary, renderedFrames } = take.finish();
  expect(layerMs).toEqual([
    { layer: "square", name: "square", ms: 35 },
    // It was removed meanwhile.
    { layer: "sky", name: undefined, ms: 30 },
    { layer: null, isReading: true, ms: 7 },
    { layer: null, ms: 5 },
  ]);
  expect(renderedFrames).toEqual({ frames: 2, meanMs: 40, expectedMs: 18 });
  expect(summary.bytesRead).toBe(150);
});

test("what rendering was expected to take is said only where it was known of each frame", () => {
  const range = { in: 0, out: 4 };
  const expected = Float32Array.of(20, 0, 30, 40);
  const rendered = (...frames: number[]) => {
    const take = new TakeRecorder({
      ...{ document: moving(), settings: SETTINGS, layers: NO_LAYER_CHOICES, bakes: [], range, startMs: 0 },
      ...{ missing: {}, residency: new Uint8Array(4), expected },
    });
    for (const frame of frames) take.rendered(frame, { ms: 50, costs: [] });
    return take.finish().renderedFrames;
  };
  expect(rendered(0, 2)).toEqual({ frames: 2, meanMs: 50, expectedMs: 25 });
  expect(rendered(0, 1)).toEqual({ frames: 2, meanMs: 50 });
  expect(rendered()).toBeUndefined();
});
