import { IN_MEMORY, ON_DISK } from "@kinetocache/core";
import { EngineRig, FRAME_BYTES, moving, onFakeTime, openEngine, SETTINGS } from "../../../../testing/engine";

const FRAMES = 24;
// A frame with its bookkeeping.
const room = (frames: number) => frames * (FRAME_BYTES + 512);

onFakeTime();

describe("opening", () => {
  test("shows the frame under the playhead, then samples small frames for the first estimates", async () => {
    const rig = new EngineRig();
    await rig.open();
    expect(rig.shown).toHaveLength(1);
    expect(rig.held(IN_MEMORY)).toBe(1);
    const { costs, measured } = rig.last("timeline").data;
    expect(costs).toHaveLength(FRAMES);
    expect([...measured].filter(Boolean)).toHaveLength(1);
    expect(costs.every((ms) => ms > 0)).toBe(true);
  });

  test("what an earlier session measured is known at once, and nothing is rendered for a first guess", async () => {
    const before = await openEngine();
    await before.fill();
    await before.run(4000);
    const { record } = before.last("costs");
    const rig = new EngineRig(before.disk);
    rig.send({ kind: "recall", record });
    await rig.open();
    expect(rig.pool.started.filter(({ settings }) => settings.fraction !== 1)).toEqual([]);
    expect(rig.last("timeline").data.costs).toEqual(before.last("timeline").data.costs);
    expect(rig.status.layerCosts).toEqual(before.status.layerCosts);
  });

  test("what trade-offs save follows from what was learned, not from the first guess", async () => {
    const rig = new EngineRig();
    rig.pool.frameMs = 90;
    await rig.open();
    await rig.run(3000);
    rig.send({ kind: "savings", wanted: true });
    await rig.run(200);
    expect(rig.last("savings").savings.presentMs).toBeGreaterThan(80);
    // It was busy with something else then.
    rig.pool.frameMs = 10;
    await rig.fill();
    rig.reopen(moving(1.01), "edit");
    await rig.fill();
    await rig.run(4000);
    expect(rig.last("savings").savings.presentMs).toBeLessThan(20);
  });

  test("while others have half of the processor, what is rendered costs no more", async () => {
    const rig = await openEngine();
    await rig.fill();
    const alone = rig.status.layerCosts[0]!.rangeMs!;
    rig.send({ kind: "contention", share: 0.5 });
    rig.pool.frameMs *= 2;
    rig.reopen(moving(1.01), "edit");
    await rig.fill();
    expect(rig.status.layerCosts[0]!.rangeMs! / alone).toBeCloseTo(1, 1);
  });

  test("what was rendered before others were told of counts by what was told after it", async () => {
    const rig = await openEngine();
    await rig.fill();
    const alone = rig.status.layerCosts[0]!.rangeMs!;
    rig.send({ kind: "contention", share: 1 });
    await rig.run(5000);
    // Others come, and that is told when all is rendered.
    rig.pool.frameMs *= 2;
    rig.reopen(moving(1.01), "edit");
    rig.configure({ background: "Idle", idleDelayMs: 0 });
    await rig.run(600);
    rig.send({ kind: "contention", share: 0.5 });
    await rig.run(600);
    expect(rig.status.layerCosts[0]!.rangeMs! / alone).toBeCloseTo(1, 1);
  });

  test("what was measured of a composition is kept with it when another one opens at once", async () => {
    const rig = await openEngine();
    rig.send({ kind: "contention", share: 1 });
    rig.configure({ background: "Idle", idleDelayMs: 0 });
    // All is rendered, and it was not told yet what others had of the processor.
    await rig.run(400);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    rig.reopen(moving(1, { id: "other" }), "open");
    const { record } = rig.last("costs");
    expect(record.document).toBe("main");
    expect(record.frames.keys).toHaveLength(FRAMES);
  });

  test("warms up every worker with frames that are not kept, for some time at most", async () => {
    const rig = new EngineRig();
    const startedAs = (fraction: number) => rig.pool.started.filter(({ settings }) => settings.fraction === fraction);
    rig.configure({});
    rig.reopen(moving(), "open");
    await rig.run(900);
    // The frame on show, and eight of each worker.
    expect(startedAs(1)).toHaveLength(1 + 2 * 8);
    expect(rig.pool.running.size).toBe(0);
    expect([rig.held(IN_MEMORY), rig.status.rendered]).toEqual([1, 1]);
    const before = rig.pool.started.length;
    rig.pool.frameMs = 700;
    rig.reopen(moving(1, { id: "other" }), "open");
    await rig.run(40_000);
    const frames = rig.pool.started.slice(before).filter(({ settings }) => settings.fraction === 1);
    expect(frames.length).toBeLessThanOrEqual(1 + 2 * 3);
  });

  test("a warm-up gives way to what the user does", async () => {
    const rig = new EngineRig();
    rig.configure({});
    rig.reopen(moving(), "open");
    while (rig.pool.started.filter(({ settings }) => settings.fraction === 1).length < 3) await rig.run(1);
    const under = [...rig.pool.running.keys()];
    rig.send({ kind: "play", speed: 1 });
    expect(rig.pool.stopped).toEqual(under);
    await rig.run(500);
    rig.pool.takeStarted();
    rig.send({ kind: "pause" });
    await rig.run(500);
    expect(rig.pool.takeStarted()).toEqual([]);
  });

  test("the order of settings and composition does not matter", async () => {
    const rig = new EngineRig();
    rig.reopen(moving(), "open");
    rig.send({ kind: "configure", settings: SETTINGS });
    await rig.run(900);
    expect(rig.status.range).toEqual({ in: 0, out: FRAMES });
    expect(rig.shown).toHaveLength(1);
  });

  test("another composition starts at its first frame and over its whole length", async () => {
    const rig = await openEngine();
    rig.send({ kind: "seek", frame: 9, scrubbing: false }, { kind: "range", range: { in: 3, out: 8 } });
    const other = { ...moving(), id: "other" };
    rig.reopen(other, "open");
    await rig.run(900);
    expect(rig.status).toMatchObject({ playhead: 0, range: { in: 0, out: FRAMES } });
  });
});

describe("the range", () => {
  test("is set by what is true when the command arrives, however fast one follows the other", async () => {
    const rig = await openEngine();
    rig.send({ kind: "step", frames: 5 }, { kind: "setEnd", end: "in" });
    rig.send({ kind: "step", frames: 10 }, { kind: "setEnd", end: "out" }, { kind: "seekEnd", end: "in" });
    await rig.run(300);
    expect(rig.status).toMatchObject({ range: { in: 5, out: 16 }, playhead: 5 });
    rig.send({ kind: "seekEnd", end: "out" });
    await rig.run(300);
    expect(rig.status.playhead).toBe(15);
  });

  test("always holds a frame: an end that passes the other takes it along", async () => {
    const rig = await openEngine();
    rig.send({ kind: "range", range: { in: 3, out: 8 } }, { kind: "seek", frame: 20, scrubbing: false });
    rig.send({ kind: "setEnd", end: "in" });
    await rig.run(300);
    expect(rig.status.range).toEqual({ in: 20, out: 21 });
    rig.send({ kind: "seek", frame: 2, scrubbing: false }, { kind: "setEnd", end: "out" });
    await rig.run(300);
    expect(rig.status.range).toEqual({ in: 2, out: 3 });
  });
});

describe("filling", () => {
  test("begins after the idle delay, with the window around the playhead", async () => {
    const rig = await openEngine({ background: "Idle" });
    rig.send({ kind: "seek", frame: 10, scrubbing: false });
    await rig.run(990);
    expect(rig.pool.takeStarted()).toEqual([10]);
    expect(rig.status.mode).toBe("parked");
    await rig.run(2000);
    expect(rig.pool.takeStarted().slice(0, 9)).toEqual([11, 12, 13, 14, 15, 16, 9, 8, 17]);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.status.filling).toMatchObject({ done: FRAMES, total: FRAMES });
  });

  test.each([
    ["a step", { kind: "step", frames: 1 }],
    ["a touch", { kind: "touch" }],
    ["a new range", { kind: "range", range: { in: 2, out: 9 } }],
    ["play", { kind: "play", speed: 1 }],
  ] as const)("%s stops it at once", async (_name, command) => {
    const rig = await openEngine({ background: "Idle" });
    rig.pool.frameMs = 300;
    await rig.run(1250);
    expect(rig.status.mode).toBe("filling");
    const under = [...rig.pool.running.keys()];
    expect(under).toHaveLength(2);
    rig.send(command);
    expect(rig.pool.stopped).toEqual(expect.arrayContaining(under));
  });

  test("is not missed when its moment comes while a step is carried out", async () => {
    const rig = await openEngine({ background: "Idle" });
    rig.send({ kind: "seek", frame: 10, scrubbing: false });
    await rig.run(997);
    rig.pool.takeStarted();
    let spent = 0;
    const clock = performance.now.bind(performance);
    jest.spyOn(performance, "now").mockImplementation(() => clock() + spent);
    jest.spyOn(rig.pool, "freeSlots", "get").mockImplementationOnce(() => {
      spent = 7;
      return 2;
    });
    rig.send({ kind: "pauseFilling", paused: false });
    expect(rig.pool.takeStarted()).toEqual([]);
    expect(spent).toBe(7);
    await rig.run(50);
    expect(rig.pool.takeStarted()).not.toEqual([]);
  });

  test("can be paused and goes on where it was", async () => {
    const rig = await openEngine({ idleDelayMs: 0 });
    rig.configure({ background: "Idle" });
    await rig.run(50);
    rig.send({ kind: "pauseFilling", paused: true });
    await rig.run(500);
    const held = rig.held(IN_MEMORY);
    expect(held).toBeLessThan(FRAMES);
    expect(rig.status.filling.paused).toBe(true);
    rig.send({ kind: "pauseFilling", paused: false });
    await rig.run(1000);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  });

  test("what memory has no room for is rendered for the disk, each frame once", async () => {
    const rig = await openEngine({ background: "Idle", idleDelayMs: 0, memoryBudgetBytes: room(10) });
    await rig.run(3000);
    expect(rig.status.memory.frames).toBe(10);
    expect(rig.held(ON_DISK)).toBe(FRAMES);
    expect(rig.status.rendered).toBe(FRAMES);
  });

  test("a frame that cannot be rendered is said once and left alone; the others are rendered", async () => {
    const rig = await openEngine();
    rig.pool.broken.add(7);
    await rig.fill();
    expect(rig.held(IN_MEMORY)).toBe(FRAMES - 1);
    expect(rig.notices).toEqual(["Frame 7 could not be rendered: the artwork is not SVG"]);
  });
});

describe("edits", () => {
  test("lose the frames they change, and undo has every one of them back without rendering", async () => {
    const rig = await openEngine();
    await rig.fill();
    rig.reopen(moving(2), "edit");
    await rig.run(1);
    expect(rig.last("cacheChange").change).toEqual({ document: moving().id, cause: "edit", lost: FRAMES, regained: 0 });
    expect(rig.held(IN_MEMORY)).toBe(0);
    await rig.run(500);
    const { rendered } = rig.status;
    rig.reopen(moving(), "undo");
    await rig.run(1);
    expect(rig.last("cacheChange").change).toEqual({ document: moving().id, cause: "undo", lost: 0, regained: FRAMES });
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    await rig.run(2000);
    expect(rig.status.rendered).toBe(rendered);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  });

  test("stop the rendering of what is no longer wanted", async () => {
    const rig = await openEngine({ idleDelayMs: 0 });
    rig.pool.frameMs = 500;
    rig.configure({ background: "Idle" });
    await rig.run(100);
    const under = [...rig.pool.running.keys()];
    expect(under).toHaveLength(2);
    rig.reopen(moving(3), "edit");
    expect(rig.pool.stopped).toEqual(expect.arrayContaining(under));
  });

  test("another preview size is another set of frames; the first one is found again", async () => {
    const rig = await openEngine();
    await rig.fill();
    rig.configure({ fraction: 0.5 });
    await rig.run(300);
    expect(rig.held(IN_MEMORY)).toBe(1);
    rig.configure({ fraction: 1 });
    await rig.run(300);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  });
});

describe("memory", () => {
  test("a lower budget evicts at once, what is far from the playhead first", async () => {
    const rig = await openEngine();
    await rig.fill();
    rig.configure({ memoryBudgetBytes: room(6) });
    await rig.run(150);
    expect(rig.status.memory.frames).toBe(6);
    expect(rig.status.memory.usedBytes).toBeLessThanOrEqual(room(6));
    const { residency } = rig.last("timeline").data;
    expect([...residency].map((bits) => bits & IN_MEMORY)).toEqual([...Array(6).fill(1), ...Array(18).fill(0)]);
  });

  // So many frames that differ that a pass is far longer than what may overflow.
  const square = moving().compositions.main!.layers[0]!;
  const x = { keyframes: [0, 240].map((frame) => ({ frame, value: 1 + frame / 8, ease: "linear" as const })) };
  const main = { ...moving().compositions.main!, duration: 240 };
  const layers = [{ ...square, range: { in: 0, out: 240 }, transform: { ...square.transform, x } }];
  const long = { ...moving(), compositions: { main: { ...main, layers } } };
  test.each(["Never", "Always"] as const)(
    "what it does not take is counted as overflow and let go when playback has passed it (to disk: %s)",
    async (store) => {
      const rig = new EngineRig();
      await rig.open(long);
      rig.configure({ memoryBudgetBytes: FRAME_BYTES / 2, diskCache: { ...SETTINGS.diskCache, store } });
      rig.send({ kind: "play", speed: 1 });
      const overflow: number[] = [];
      for (let part = 0; part < 40; part++) {
        // A busy machine: what was expected in time comes late, and is skipped.
        rig.pool.frameMs = part % 3 < 2 ? 20 : 250;
        await rig.run(200);
        overflow.push(rig.status.memory.overflowBytes / FRAME_BYTES);
      }
      expect(rig.status.playback!.skipped).toBeGreaterThan(10);
      expect(Math.max(...overflow)).toBeGreaterThan(0);
      // No more than what is ahead and under way, and a few that wait for the disk.
      expect(Math.max(...overflow)).toBeLessThanOrEqual(SETTINGS.window.after + 2 + (store === "Never" ? 0 : 4));
      rig.send({ kind: "pause" });
      await rig.run(500);
      expect(rig.status.memory.overflowBytes).toBeLessThanOrEqual(FRAME_BYTES);
    },
  );

  test("a frame for scrubbing that it does not take is shown all the same, and rendered once", async () => {
    const rig = new EngineRig();
    await rig.open();
    await rig.fill();
    rig.configure({ scrubFraction: 0.25, memoryBudgetBytes: FRAME_BYTES / 2 });
    await rig.run(300);
    rig.pool.takeStarted();
    rig.shown.length = 0;
    rig.send({ kind: "seek", frame: 20, scrubbing: true });
    await rig.run(200);
    expect(rig.shown.length).toBeGreaterThan(0);
    expect(rig.pool.takeStarted(0.25)).toEqual([20]);
  });

  test("frames for scrubbing are held beside the others: going over them again renders none", async () => {
    const rig = await openEngine({ memoryBudgetBytes: room(12), scrubFraction: 0.25 });
    await rig.fill();
    const scrub = async () => {
      for (const frame of [20, 21, 22, 21, 20]) {
        rig.send({ kind: "seek", frame, scrubbing: true });
        await rig.run(60);
      }
      return rig.pool.takeStarted(0.25);
    };
    expect(await scrub()).toEqual([20, 21, 22]);
    expect(await scrub()).toEqual([]);
    expect(rig.status.memory.usedBytes).toBeLessThanOrEqual(room(12));
  });

  test("what memory did not take of a composition is given back when another one is opened", async () => {
    const rig = await openEngine({ memoryBudgetBytes: 1000 });
    rig.pool.frameMs = 50;
    for (const frame of [5, 6]) {
      rig.send({ kind: "seek", frame, scrubbing: false });
      await rig.run(20);
    }
    // The last one is still being rendered.
    rig.reopen(moving(2, { id: "other" }), "open");
    await rig.run(2000);
    expect(rig.shown.length).toBeGreaterThan(1);
    expect(rig.status.memory.overflowBytes).toBe(FRAME_BYTES);
  });

  test("a budget below one frame still shows every frame that is asked for", async () => {
    const rig = await openEngine({ memoryBudgetBytes: 1000 });
    rig.send({ kind: "seek", frame: 5, scrubbing: false });
    await rig.run(200);
    rig.send({ kind: "seek", frame: 6, scrubbing: false });
    await rig.run(200);
    expect(rig.shown).toHaveLength(3);
    expect(rig.status.memory.usedBytes).toBe(0);
  });
});

describe("sharpening", () => {
  test("comes when the playhead has rested, at full size, and not while scrubbing", async () => {
    const rig = await openEngine({ fraction: 0.5 });
    expect(rig.status.sharp).toBe(true);
    rig.pool.takeStarted();
    for (let frame = 1; frame < 6; frame++) {
      rig.send({ kind: "seek", frame, scrubbing: true });
      await rig.run(200);
    }
    expect(rig.pool.takeStarted(1)).toEqual([]);
    await rig.run(1000);
    expect(rig.pool.takeStarted(1)).toEqual([5]);
    expect(rig.status.sharp).toBe(true);
  });

  test("gives way to the next action", async () => {
    const rig = await openEngine({ fraction: 0.5 });
    rig.pool.frameMs = 300;
    rig.send({ kind: "step", frames: 1 });
    await rig.run(800);
    const sharp = rig.pool.started.at(-1)!;
    expect(sharp).toMatchObject({ frame: 1, settings: { fraction: 1 } });
    rig.send({ kind: "step", frames: 1 });
    expect(rig.pool.stopped).toContain(sharp.id);
  });

  test("is left out when it is switched off", async () => {
    const rig = await openEngine({ fraction: 0.5, sharpenWhenParked: false });
    await rig.run(2000);
    expect(rig.status.sharp).toBe(false);
  });
});
