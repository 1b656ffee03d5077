import { IN_MEMORY, ON_DISK } from "@kinetocache/core";
import { EngineRig, FRAME_BYTES, FakeDisk, moving, SETTINGS } from "../../../../testing/engine";

const FRAMES = 24;
// A frame with its bookkeeping.
const room = (frames: number) => frames * (FRAME_BYTES + 512);

beforeEach(() => jest.useFakeTimers());
afterEach(() => {
  jest.restoreAllMocks();
  jest.useRealTimers();
});

async function open(settings = {}, disk = new FakeDisk()): Promise<EngineRig> {
  const rig = new EngineRig(disk, { ...SETTINGS, ...settings });
  await rig.open();
  return rig;
}

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
    const before = await open();
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
    const rig = await open();
    await rig.fill();
    const alone = rig.status.layerCosts[0]!.rangeMs!;
    rig.send({ kind: "contention", share: 0.5 });
    rig.pool.frameMs *= 2;
    rig.reopen(moving(1.01), "edit");
    await rig.fill();
    expect(rig.status.layerCosts[0]!.rangeMs! / alone).toBeCloseTo(1, 1);
  });

  test("what was rendered before others were told of counts by what was told after it", async () => {
    const rig = await open();
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
    const rig = await open();
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
    const rig = await open();
    rig.send({ kind: "seek", frame: 9, scrubbing: false }, { kind: "range", range: { in: 3, out: 8 } });
    const other = { ...moving(), id: "other" };
    rig.reopen(other, "open");
    await rig.run(900);
    expect(rig.status).toMatchObject({ playhead: 0, range: { in: 0, out: FRAMES } });
  });
});

describe("the range", () => {
  test("is set by what is true when the command arrives, however fast one follows the other", async () => {
    const rig = await open();
    rig.send({ kind: "step", frames: 5 }, { kind: "setEnd", end: "in" });
    rig.send({ kind: "step", frames: 10 }, { kind: "setEnd", end: "out" }, { kind: "seekEnd", end: "in" });
    await rig.run(300);
    expect(rig.status).toMatchObject({ range: { in: 5, out: 16 }, playhead: 5 });
    rig.send({ kind: "seekEnd", end: "out" });
    await rig.run(300);
    expect(rig.status.playhead).toBe(15);
  });

  test("always holds a frame: an end that passes the other takes it along", async () => {
    const rig = await open();
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
    const rig = await open({ background: "Idle" });
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
    const rig = await open({ background: "Idle" });
    rig.pool.frameMs = 300;
    await rig.run(1250);
    expect(rig.status.mode).toBe("filling");
    const under = [...rig.pool.running.keys()];
    expect(under).toHaveLength(2);
    rig.send(command);
    expect(rig.pool.stopped).toEqual(expect.arrayContaining(under));
  });

  test("is not missed when its moment comes while a step is carried out", async () => {
    const rig = await open({ background: "Idle" });
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
    const rig = await open({ idleDelayMs: 0 });
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
    const rig = await open({ background: "Idle", idleDelayMs: 0, memoryBudgetBytes: room(10) });
    await rig.run(3000);
    expect(rig.status.memory.frames).toBe(10);
    expect(rig.held(ON_DISK)).toBe(FRAMES);
    expect(rig.status.rendered).toBe(FRAMES);
  });

  test("a frame that cannot be rendered is said once and left alone; the others are rendered", async () => {
    const rig = await open();
    rig.pool.broken.add(7);
    await rig.fill();
    expect(rig.held(IN_MEMORY)).toBe(FRAMES - 1);
    expect(rig.notices).toEqual(["Frame 7 could not be rendered: the artwork is not SVG"]);
  });
});

describe("playing", () => {
  test("from memory is real time: every frame on time, none skipped", async () => {
    const rig = await open();
    await rig.fill();
    const { summary, heldAtStart } = await rig.measure();
    expect(heldAtStart).toEqual({ memory: FRAMES, disk: FRAMES });
    expect(summary).toMatchObject({ frames: FRAMES, onTimeShare: 1, skipped: 0, late: 0 });
    expect(summary.hits).toEqual({ memory: FRAMES, disk: 0, rendered: 0, skipped: 0 });
    expect(summary.reachedRate).toBeCloseTo(24, 0);
  });

  test("uncached and too slow, it says so: frames are skipped, and the time is the layer's", async () => {
    const rig = await open();
    rig.pool.frameMs = 200;
    const { summary, layerMs } = await rig.measure();
    expect(summary.skipped).toBeGreaterThan(10);
    expect(summary.onTimeShare).toBeLessThan(0.6);
    expect(summary.frames).toBe(FRAMES);
    expect(layerMs[0]).toMatchObject({ layer: "square" });
  });

  test("a take right after opening, when nothing is known of the costs, still shows frames on time", async () => {
    const rig = new EngineRig();
    rig.pool.frameMs = 120;
    rig.send({ kind: "configure", settings: SETTINGS });
    rig.reopen(moving(), "open");
    rig.send({ kind: "range", range: { in: 0, out: FRAMES } });
    const { summary } = await rig.measure();
    expect(summary.onTimeShare).toBeGreaterThan(0.4);
  });

  test("when the machine gets far slower than was estimated, late pictures are shown rather than none", async () => {
    const rig = await open();
    rig.send({ kind: "measureTake" });
    await rig.run(200);
    // From here on every frame takes thirty times as long as it did.
    rig.pool.frameMs = 300;
    await rig.run(5000);
    const { summary, frames } = rig.last("take").take;
    expect(frames).toHaveLength(FRAMES);
    expect(summary.late).toBeGreaterThan(0);
    expect(summary.longestStallMs).toBeLessThan(2 * 300);
  });

  test("when every frame is shown, a stall moves all that follow and none is skipped", async () => {
    const rig = await open({ pacing: "show every frame" });
    rig.pool.frameMs = 200;
    const { summary } = await rig.measure();
    expect(summary.skipped).toBe(0);
    expect(summary.hits.rendered).toBe(FRAMES - 1);
    // Two workers at 200 ms.
    expect(summary.reachedRate).toBeGreaterThan(8);
    expect(summary.reachedRate).toBeLessThan(11);
  });

  test("a loop that does not fit into memory keeps most of it", async () => {
    const rig = await open({ memoryBudgetBytes: room(20) });
    rig.disk.failure = { kind: "unreachable", detail: "gone" };
    rig.send({ kind: "diskChanged" }, { kind: "play", speed: 1 });
    await rig.run(4000);
    const before = rig.status.rendered;
    await rig.run(10_000);
    // Ten passes miss the four frames that do not fit, and little more; least recently used would miss all 24.
    expect(rig.status.rendered - before).toBeLessThan(10 * 8);
    expect(rig.status.memory.usedBytes).toBeLessThanOrEqual(room(20));
  });

  test("shuttling backwards and faster shows the frames in that order", async () => {
    const rig = await open();
    await rig.fill();
    rig.send({ kind: "seek", frame: 20, scrubbing: false }, { kind: "play", speed: -2 });
    rig.events.length = 0;
    await rig.run(400);
    expect(rig.status).toMatchObject({ mode: "playing", speed: -2 });
    const frames = rig.all("playhead").map(({ frame }) => frame);
    expect(frames.length).toBeGreaterThan(3);
    expect(frames).toEqual([...frames].sort((a, b) => b - a));
    expect(frames.every((frame) => frame % 2 === 0)).toBe(true);
  });

  test("a take begins once the screen has had time to say so, with nothing else under way", async () => {
    const rig = await open({ background: "Idle", idleDelayMs: 0 });
    await rig.run(20);
    rig.send({ kind: "measureTake" });
    await rig.run(280);
    expect(rig.status).toMatchObject({ measuringTake: true, mode: "parked" });
    expect([...rig.pool.running]).toEqual([]);
    await rig.run(2000);
    const { frames } = rig.last("take").take;
    expect(frames[0]!.shownMs).toBe(0);
    rig.send({ kind: "measureTake" }, { kind: "pause" });
    await rig.run(1500);
    expect(rig.all("take")).toHaveLength(1);
    expect(rig.all("takeStopped")).toHaveLength(1);
  });

  test("a take that is stopped before its end is not kept, and that is said", async () => {
    const rig = await open();
    rig.send({ kind: "measureTake" });
    await rig.run(200);
    rig.send({ kind: "pause" });
    expect(rig.all("take")).toEqual([]);
    expect(rig.all("takeStopped")).toHaveLength(1);
  });

  test.each<[string, (rig: EngineRig) => void]>([
    ["the preview size", (rig) => rig.configure({ fraction: 0.5 })],
    ["frames in parallel", (rig) => rig.configure({ parallel: 1 })],
    ["the memory budget", (rig) => rig.configure({ memoryBudgetBytes: room(4) })],
    ["an edit", (rig) => rig.reopen(moving(1.01), "edit")],
    ["solo", (rig) => rig.choose({ solo: ["square"] })],
    ["the range", (rig) => rig.send({ kind: "range", range: { in: 0, out: 12 } })],
  ])("a take in whose middle %s changes is a take of nothing: it ends, and that is said", async (_, change) => {
    const rig = await open({ parallel: 2 });
    rig.send({ kind: "measureTake" });
    await rig.run(700);
    change(rig);
    await rig.run(3000);
    expect(rig.all("take")).toEqual([]);
    expect(rig.all("takeStopped")).toEqual([{ kind: "takeStopped", changed: true }]);
  });

  test("what does not decide how a take goes may change in its middle", async () => {
    const rig = await open();
    rig.send({ kind: "measureTake" });
    await rig.run(700);
    rig.configure({ idleDelayMs: 9000 });
    rig.choose({ pinned: ["square"] });
    await rig.run(3000);
    expect(rig.all("take")).toHaveLength(1);
  });

  test("the screens are told no more often than they can use", async () => {
    const rig = await open();
    await rig.fill();
    rig.events.length = 0;
    rig.send({ kind: "play", speed: 1 });
    await rig.run(2000);
    expect(rig.all("status").length).toBeLessThanOrEqual(9);
    expect(rig.all("playhead").length).toBeLessThanOrEqual(26);
    expect(rig.all("playhead").length).toBeGreaterThan(12);
  });

  test("space plays and pauses; J and L shuttle, each time twice as fast, and turn round at once", async () => {
    const rig = await open();
    const speedAfter = async (...commands: Parameters<typeof rig.send>) => {
      rig.send(...commands);
      await rig.run(300);
      return rig.status.speed;
    };
    expect(await speedAfter({ kind: "toggle" })).toBe(1);
    expect(await speedAfter({ kind: "toggle" })).toBe(0);
    const on = { kind: "shuttle", direction: 1 } as const;
    expect(await speedAfter(on)).toBe(1);
    expect(await speedAfter(on, on)).toBe(4);
    expect(await speedAfter(on, on, on)).toBe(8);
    expect(await speedAfter({ kind: "shuttle", direction: -1 })).toBe(-1);
  });

  test("turning the loop off ends playback at the out point", async () => {
    const rig = await open();
    await rig.fill();
    rig.send({ kind: "play", speed: 1 });
    await rig.run(300);
    rig.configure({ loop: false });
    await rig.run(2000);
    expect(rig.status).toMatchObject({ mode: "parked", playhead: FRAMES - 1 });
  });
});

describe("measuring frames in parallel", () => {
  test("tries one, then all cores, keeps nothing, and gives the workers back", async () => {
    const rig = await open({ parallel: 3, sharpenWhenParked: false });
    rig.pool.frameMs = 50;
    rig.send({ kind: "measureParallel", cores: 4 });
    await rig.run(1500);
    expect(rig.status.trial).toMatchObject({ of: "frames in parallel", step: "2 at a time" });
    const held = rig.status.memory.frames;
    await rig.run(5000);
    const { points } = rig.last("parallelCurve");
    // Frames of 50 ms: 20 a second with each worker.
    expect(points.map(({ parallel, rate }) => [parallel, Math.round(rate)])).toEqual([
      [1, 20],
      [2, 40],
      [4, 80],
    ]);
    expect(rig.status.trial).toBeUndefined();
    expect(rig.status.memory.frames).toBe(held);
    expect(rig.pool.size).toBe(3);
  });

  test("any action ends it at once, and what comes late of it is thrown away", async () => {
    const rig = await open();
    rig.pool.frameMs = 200;
    rig.send({ kind: "measureParallel", cores: 2 });
    await rig.run(50);
    const under = [...rig.pool.running.keys()];
    rig.send({ kind: "seek", frame: 7, scrubbing: false });
    expect(rig.pool.stopped).toEqual(expect.arrayContaining(under));
    await rig.run(1000);
    expect(rig.all("parallelCurve")).toEqual([]);
    expect(rig.notices).toEqual(["The measurement of frames in parallel was stopped before its end."]);
    expect(rig.status).toMatchObject({ playhead: 7, mode: "parked" });
    expect(rig.pool.size).toBe(2);
  });

  test("a frame that cannot be rendered ends it with the reason", async () => {
    const rig = await open();
    for (let frame = 0; frame < FRAMES; frame++) rig.pool.broken.add(frame);
    rig.send({ kind: "measureParallel", cores: 2 });
    await rig.run(500);
    expect(rig.notices[0]).toBe("The frames in parallel could not be measured: the artwork is not SVG");
    expect(rig.status.trial).toBeUndefined();
  });
});

describe("graphics devices", () => {
  const LOST = { reason: "The graphics device was lost: it was unplugged", lost: true };

  test("a device that is chosen renders every frame, under keys of its own", async () => {
    const rig = await open();
    await rig.fill();
    rig.configure({ effectsOn: "low-power", background: "Idle", idleDelayMs: 0 });
    expect(rig.status.memory.frames).toBe(FRAMES);
    await rig.run(2000);
    expect(rig.pool.graphics).toBe("low-power");
    expect(new Set(rig.pool.started.map(({ settings }) => settings.renderer))).toEqual(new Set(["gpu-1"]));
    // Both sets are held: going back renders nothing.
    rig.pool.takeStarted();
    rig.configure({ effectsOn: "processor", background: "Off" });
    rig.send({ kind: "play", speed: 1 });
    await rig.run(1500);
    expect(rig.pool.takeStarted()).toEqual([]);
  });

  test("a device that is lost during play: the processor goes on with the next frame, and it is said once", async () => {
    const rig = await open({ effectsOn: "high-performance", parallel: 1 });
    rig.send({ kind: "play", speed: 1 });
    await rig.run(400);
    rig.pool.takeStarted();
    rig.pool.graphicsFault = LOST;
    const before = rig.shown.length;
    await rig.run(100);
    expect(rig.notices).toEqual([`${LOST.reason}. The processor renders instead.`]);
    expect(rig.shown.length).toBeGreaterThan(before);
    // The screens are told four times a second while work is under way.
    await rig.run(250);
    expect(rig.status).toMatchObject({ mode: "playing", graphicsFault: LOST.reason });
    const last = rig.pool.started.at(-1)!;
    expect(last.settings.renderer).toBe("cpu-1");
  });

  test("a take that it disturbed says so", async () => {
    const rig = await open({ effectsOn: "high-performance", background: "Off" });
    rig.send({ kind: "measureTake" });
    await rig.run(600);
    rig.pool.graphicsFault = LOST;
    await rig.run(10_000);
    expect(rig.last("take").take).toMatchObject({ graphicsFault: LOST.reason, summary: { frames: FRAMES } });
    // The next one is of the processor from the start, and says that too.
    expect((await rig.measure()).graphicsFault).toBe(LOST.reason);
  });

  test("a lost device is tried again when that is asked for, not by itself", async () => {
    const rig = await open({ effectsOn: "high-performance" });
    rig.pool.graphicsFault = LOST;
    rig.send({ kind: "seek", frame: 5, scrubbing: false });
    await rig.run(500);
    rig.configure({ fraction: 0.5 });
    await rig.run(200);
    expect(rig.status.graphicsFault).toBe(LOST.reason);
    rig.pool.graphicsFault = undefined;
    rig.send({ kind: "retryGraphics" });
    await rig.run(500);
    expect(rig.status.graphicsFault).toBeUndefined();
    expect(rig.pool.started.at(-1)!.settings.renderer).toBe("gpu-1");
  });

  test("what is too large for it only at full size is sharpened by the processor, and nothing else is", async () => {
    const rig = await open({ effectsOn: "high-performance", fraction: 0.5 });
    rig.pool.graphicsFault = { reason: "A picture of 9 bytes is larger than the 8 that the device takes", lost: false };
    await rig.run(1500);
    expect(rig.notices).toEqual([]);
    expect(rig.status).toMatchObject({ sharp: true });
    expect(rig.status.graphicsFault).toBeUndefined();
  });

  test("the trial times each device on the same frames, compares their pixels, and keeps nothing", async () => {
    const rig = await open({ sharpenWhenParked: false });
    const held = rig.status.memory.frames;
    rig.pool.frameMs = 50;
    rig.send({ kind: "measureGraphics", devices: ["processor", "high-performance"] });
    await rig.run(5000);
    const { results } = rig.last("graphicsTrial");
    expect(results).toMatchObject([
      { device: "processor", nodesTimed: true, nodes: [{ kind: "place", ms: 50 }, { ms: 0 }, { ms: 0 }] },
      { device: "high-performance", difference: 0 },
    ]);
    // Two workers at 50 ms a frame.
    expect(results.map((result) => "rate" in result && Math.round(result.rate))).toEqual([40, 40]);
    expect(rig.status.trial).toBeUndefined();
    expect(rig.status.memory.frames).toBe(held);
  });

  test("a device that fails in the trial is listed with the reason, and the processor's result stands", async () => {
    const rig = await open({ sharpenWhenParked: false });
    rig.pool.graphicsFault = LOST;
    rig.send({ kind: "measureGraphics", devices: ["processor", "low-power"] });
    await rig.run(5000);
    expect(rig.last("graphicsTrial").results).toMatchObject([
      { device: "processor" },
      { device: "low-power", failure: LOST.reason },
    ]);
    // The device was tried, not chosen: nothing fell back.
    expect(rig.status.graphicsFault).toBeUndefined();
  });

  test("where the chosen device does not decode, that is said once, until another choice is made", async () => {
    const rig = await open();
    rig.pool.decodeFault = "No graphics device here decodes vp09";
    rig.configure({ decodingOn: "graphics" });
    rig.send({ kind: "play", speed: 1 });
    await rig.run(500);
    expect(rig.pool.decoding).toBe("graphics");
    expect(rig.notices).toEqual([`${rig.pool.decodeFault}. The processor decodes clips instead.`]);
  });

  test("a slow device is timed over what it got done in the time", async () => {
    const rig = await open({ sharpenWhenParked: false, parallel: 1 });
    rig.pool.frameMs = 3000;
    rig.send({ kind: "measureGraphics", devices: ["processor"] });
    await rig.run(20_000);
    expect(rig.last("graphicsTrial").results).toMatchObject([{ device: "processor", frames: 2 }]);
  });
});

describe("edits", () => {
  test("lose the frames they change, and undo has every one of them back without rendering", async () => {
    const rig = await open();
    await rig.fill();
    rig.reopen(moving(2), "edit");
    expect(rig.last("cacheChange").change).toEqual({ document: moving().id, cause: "edit", lost: FRAMES, regained: 0 });
    expect(rig.held(IN_MEMORY)).toBe(0);
    await rig.run(500);
    const { rendered } = rig.status;
    rig.reopen(moving(), "undo");
    expect(rig.last("cacheChange").change).toEqual({ document: moving().id, cause: "undo", lost: 0, regained: FRAMES });
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    await rig.run(2000);
    expect(rig.status.rendered).toBe(rendered);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  });

  test("stop the rendering of what is no longer wanted", async () => {
    const rig = await open({ idleDelayMs: 0 });
    rig.pool.frameMs = 500;
    rig.configure({ background: "Idle" });
    await rig.run(100);
    const under = [...rig.pool.running.keys()];
    expect(under).toHaveLength(2);
    rig.reopen(moving(3), "edit");
    expect(rig.pool.stopped).toEqual(expect.arrayContaining(under));
  });

  test("another preview size is another set of frames; the first one is found again", async () => {
    const rig = await open();
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
    const rig = await open();
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
    const rig = await open({ memoryBudgetBytes: room(12), scrubFraction: 0.25 });
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
    const rig = await open({ memoryBudgetBytes: 1000 });
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
    const rig = await open({ memoryBudgetBytes: 1000 });
    rig.send({ kind: "seek", frame: 5, scrubbing: false });
    await rig.run(200);
    rig.send({ kind: "seek", frame: 6, scrubbing: false });
    await rig.run(200);
    expect(rig.shown).toHaveLength(3);
    expect(rig.status.memory.usedBytes).toBe(0);
  });
});

describe("disk", () => {
  test("what an earlier session rendered is played from it", async () => {
    const first = await open();
    await first.fill();
    const second = await open({}, first.disk);
    const { summary } = await second.measure();
    expect(summary.hits.disk).toBe(FRAMES - 1);
    expect(summary).toMatchObject({ onTimeShare: 1, bytesRead: (FRAMES - 1) * FRAME_BYTES });
    // The first frame is in memory: it was read to be seen.
    expect(second.status.rendered).toBe(0);
    expect(second.status.readRate).toBeGreaterThan(0);
  });

  test("a frame whose rendering began before the disk was listed is read from it all the same", async () => {
    const first = await open();
    await first.fill();
    first.disk.listMs = 200;
    const second = new EngineRig(first.disk);
    second.pool.frameMs = 3000;
    second.configure({});
    second.reopen(moving(), "open");
    await second.run(400);
    expect(second.shown).toHaveLength(1);
    expect([second.held(IN_MEMORY), second.status.rendered]).toEqual([1, 0]);
  });

  test("nothing is written while playing", async () => {
    const rig = await open();
    const { stores } = rig.disk;
    rig.send({ kind: "play", speed: 1 });
    await rig.run(3000);
    expect(rig.status.memory.frames).toBe(FRAMES);
    expect(rig.disk.stores).toBe(stores);
    rig.send({ kind: "pause" });
    await rig.run(1000);
    expect(rig.held(ON_DISK)).toBe(FRAMES);
  });

  test("of a composition that was removed nothing more is written", async () => {
    const rig = await open();
    rig.disk.storeMs = 500;
    await rig.fill();
    const written = rig.disk.frames.size;
    expect(written).toBeLessThan(FRAMES);
    rig.reopen({ ...moving(), id: "other" }, "open");
    rig.send({ kind: "removed", document: "main" });
    await rig.run(20_000);
    // The one that was on its way arrived.
    expect(rig.disk.frames.size).toBeLessThanOrEqual(written + 1);
  });

  test("a damaged frame is rendered again, and that is said", async () => {
    const first = await open();
    // So much that it is read rather than rendered.
    first.pool.frameMs = 50;
    first.reopen(moving(1.01), "edit");
    await first.fill();
    for (const key of first.disk.frames.keys()) first.disk.damaged.add(key);
    const second = new EngineRig(first.disk);
    second.pool.frameMs = 50;
    await second.open(moving(1.01));
    await second.fill();
    expect(second.held(IN_MEMORY)).toBe(FRAMES);
    expect(second.notices).toContain("A frame on disk was damaged; it has been removed and is rendered again.");
  });

  test("without the server everything goes on in memory, and the disk is back when it is", async () => {
    const rig = await open();
    rig.disk.failure = { kind: "unreachable", detail: "The server does not answer" };
    await rig.fill();
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.held(ON_DISK)).toBe(0);
    const said = "The server does not answer: frames are kept in memory only until it is back.";
    expect(rig.notices).toEqual([said]);
    expect((await rig.measure()).summary.onTimeShare).toBe(1);
    rig.disk.failure = undefined;
    await rig.run(6000);
    expect(rig.notices).toEqual([said, "The server answers again; the disk cache is back."]);
    expect(rig.status.disk.kind).toBe("ready");
  });

  test("when it is full, that is said once and nothing stops", async () => {
    const rig = await open();
    rig.disk.failure = { kind: "refused", code: "cap-reached", detail: "The disk cache has reached its cap" };
    await rig.fill();
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.notices).toEqual(["The disk cache has reached its cap"]);
    expect((await rig.measure()).summary.onTimeShare).toBe(1);
  });
});

test("nothing is rendered in the background before it is known what is on disk", async () => {
  const first = await open({ background: "Idle", idleDelayMs: 0 });
  await first.run(5000);
  const { disk } = first;
  expect(disk.frames.size).toBeGreaterThan(20);
  disk.listMs = 3000;
  const rig = new EngineRig(disk, { ...SETTINGS, background: "Idle", idleDelayMs: 0 });
  // So much that it is read rather than rendered.
  rig.pool.frameMs = 50;
  await rig.open();
  await rig.run(2000);
  expect(rig.held(IN_MEMORY)).toBe(1);
  await rig.run(5000);
  expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  expect(rig.status.rendered).toBe(1);
  // A disk that cannot be asked is no reason to wait.
  disk.failure = { kind: "unreachable", detail: "it does not answer" };
  const alone = new EngineRig(disk, { ...SETTINGS, background: "Idle", idleDelayMs: 0 });
  await alone.open();
  await alone.run(10_000);
  expect(alone.held(IN_MEMORY)).toBe(FRAMES);
});

describe("sharpening", () => {
  test("comes when the playhead has rested, at full size, and not while scrubbing", async () => {
    const rig = await open({ fraction: 0.5 });
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
    const rig = await open({ fraction: 0.5 });
    rig.pool.frameMs = 300;
    rig.send({ kind: "step", frames: 1 });
    await rig.run(800);
    const sharp = rig.pool.started.at(-1)!;
    expect(sharp).toMatchObject({ frame: 1, settings: { fraction: 1 } });
    rig.send({ kind: "step", frames: 1 });
    expect(rig.pool.stopped).toContain(sharp.id);
  });

  test("is left out when it is switched off", async () => {
    const rig = await open({ fraction: 0.5, sharpenWhenParked: false });
    await rig.run(2000);
    expect(rig.status.sharp).toBe(false);
  });
});

describe("what is written to disk", () => {
  const policy = SETTINGS.diskCache;

  test("goes to the location that is chosen, and is read from wherever it is", async () => {
    const rig = new EngineRig();
    rig.configure({ diskCache: { ...policy, location: "browser" } });
    await rig.open();
    await rig.fill();
    await rig.run(500);
    expect(rig.browser.frames.size).toBe(24);
    expect(rig.disk.frames.size).toBe(0);
    expect(rig.held(ON_DISK)).toBe(24);
    rig.configure({ diskCache: policy });
    expect(rig.held(ON_DISK)).toBe(24);
  });

  test("is nothing at all under Never, and what playback renders is left out under In background", async () => {
    const never = new EngineRig();
    never.configure({ diskCache: { ...policy, store: "Never" } });
    await never.open();
    await never.fill();
    await never.run(500);
    expect(never.disk.stores).toBe(0);

    const background = new EngineRig();
    background.configure({ diskCache: { ...policy, store: "In background" } });
    await background.open();
    await background.measure();
    await background.run(2000);
    expect(background.disk.stores).toBe(0);
    background.configure({ memoryBudgetBytes: 4 * FRAME_BYTES });
    await background.fill();
    await background.run(500);
    expect(background.disk.stores).toBeGreaterThan(0);
  });

  test("leaves out what reads back slower than it renders, says how many, and takes it when overruled", async () => {
    const disk = new FakeDisk();
    const rig = new EngineRig(disk);
    rig.pool.frameMs = 50;
    await rig.open();
    await rig.fill();
    await rig.run(500);
    expect(disk.frames.size).toBe(24);
    // Reading is far slower than the 50 ms that rendering takes.
    disk.fetchMs = 300;
    rig.configure({ memoryBudgetBytes: 4 * FRAME_BYTES, background: "Off" });
    for (let frame = 0; frame < 24; frame += 3) {
      rig.send({ kind: "seek", frame, scrubbing: false });
      await rig.run(1000);
    }
    const stores = disk.stores;
    rig.reopen(moving(2), "edit");
    await rig.run(1000);
    for (let frame = 1; frame < 24; frame += 3) {
      rig.send({ kind: "seek", frame, scrubbing: false });
      await rig.run(1000);
    }
    if (rig.status.notWorthStoring === 0) throw new Error(`stored ${disk.stores - stores}`);
    expect(disk.stores).toBe(stores);
    rig.configure({ diskCache: { ...policy, storeSlow: true } });
    rig.send({ kind: "seek", frame: 23, scrubbing: false });
    await rig.run(1000);
    expect(disk.stores).toBeGreaterThan(stores);
    expect(rig.status.notWorthStoring).toBe(0);
  });

  test("is measured in both formats at a location, and nothing of that stays", async () => {
    const rig = new EngineRig();
    await rig.open();
    await rig.fill();
    await rig.run(500);
    const before = rig.disk.frames.size;
    rig.send({ kind: "measureFormats", location: "main" });
    await rig.run(5000);
    const { results } = rig.last("formatTrial");
    expect(results.map(({ packing, location }) => [packing, location])).toEqual([
      ["plain", "main"],
      ["packed", "main"],
      ["automatic", "main"],
    ]);
    for (const { pixelBytes, storedBytes, readRate, readRates, writeRate } of results) {
      expect(readRates).toHaveLength(3);
      expect([...readRates].sort((a, b) => a - b)[1]).toBe(readRate);
      expect([pixelBytes, storedBytes]).toEqual([FRAME_BYTES, FRAME_BYTES]);
      expect(Math.min(readRate, writeRate)).toBeGreaterThan(0);
    }
    expect(rig.disk.frames.size).toBe(before);
  });

  test("automatic packing keeps the form that was measured to come back sooner, wherever it was", async () => {
    const disk = new FakeDisk();
    disk.packing = "automatic";
    const rig = new EngineRig(disk);
    await rig.open();
    for (const [forms, kept] of [
      [{}, "automatic"],
      [{ main: "packed" }, "packed"],
      [{ main: "plain" }, "plain"],
      [{ browser: "packed" }, "automatic"],
    ] as const) {
      rig.send({ kind: "storeAs", forms });
      rig.reopen(moving(1 + Object.keys(forms).length / 100 + disk.stores / 1000), "edit");
      const before = disk.stores;
      await rig.fill();
      await rig.run(500);
      expect(disk.stores).toBeGreaterThan(before);
      expect(disk.lastPacking).toBe(kept);
    }
  });

  test("a measurement of formats ends at any action, cleans up, and playback goes on", async () => {
    const rig = new EngineRig();
    await rig.open();
    await rig.fill();
    await rig.run(500);
    const before = rig.disk.frames.size;
    rig.send({ kind: "measureFormats", location: "main" });
    await rig.run(12);
    rig.send({ kind: "play", speed: 1 });
    await rig.run(3000);
    expect(rig.all("formatTrial")).toEqual([]);
    expect(rig.notices.join()).toContain("The measurement of formats was stopped");
    expect(rig.disk.frames.size).toBe(before);
    expect(rig.status.mode).toBe("playing");
  });

  test("the browser's own storage that another tab has is no news for whoever does not use it", async () => {
    const inUse = { kind: "refused", code: "in-use", detail: "in use by another tab" } as const;
    const rig = new EngineRig();
    rig.browser.failure = inUse;
    await rig.open();
    await rig.run(12_000);
    expect(rig.notices).toEqual([]);
    const other = new EngineRig();
    other.browser.failure = inUse;
    other.configure({ diskCache: { ...policy, location: "browser" } });
    await other.open();
    await other.run(12_000);
    expect(other.notices).toEqual(["in use by another tab"]);
    expect(other.disk.stores).toBe(0);
    expect(other.status.disk).toEqual({ kind: "refused", detail: "in use by another tab" });
  });

  test("the browser's own storage is told, changed and cleared on demand", async () => {
    const rig = new EngineRig();
    rig.configure({ diskCache: { ...policy, location: "browser" } });
    await rig.open();
    await rig.fill();
    await rig.run(500);
    rig.send({ kind: "changeBrowserDisk", settings: { capBytes: 2 ** 26 } });
    await rig.run(100);
    expect(rig.last("browserDisk")).toMatchObject({ state: { frames: 24, settings: { capBytes: 2 ** 26 } } });
    rig.configure({ background: "Off" });
    const { items } = rig.last("browserDisk");
    rig.send({ kind: "clearBrowserDisk", keys: items!.slice(0, 10).map(({ key }) => key) });
    await rig.run(100);
    expect(rig.last("browserDisk").state.frames).toBe(14);
    await rig.run(200);
    expect(rig.held(ON_DISK)).toBe(14);
  });
});

describe("moving between the browser's own storage and a folder", () => {
  const filled = async () => {
    const rig = new EngineRig();
    await rig.open();
    await rig.fill();
    await rig.run(1000);
    expect(rig.disk.frames.size).toBe(24);
    return rig;
  };

  test("takes every frame, while playback goes on from wherever each is", async () => {
    const rig = await filled();
    rig.send({ kind: "play", speed: 1 }, { kind: "carry", from: "main", to: "browser" });
    // Screens are told every quarter of a second while work is under way.
    await rig.run(260);
    expect(rig.status.carrying).toMatchObject({ total: 24 });
    expect(rig.status.mode).toBe("playing");
    await rig.run(3000);
    expect([rig.disk.frames.size, rig.browser.frames.size]).toEqual([0, 24]);
    expect(rig.notices).toContain("24 of 24 frames were moved.");
    expect(rig.status.carrying).toBeUndefined();
    expect(rig.held(ON_DISK)).toBe(24);
    expect(rig.status.playback!.skipped).toBe(0);
  });

  test("stops where it is told to, and goes on when it is begun again", async () => {
    const rig = await filled();
    rig.send({ kind: "carry", from: "main", to: "browser" });
    await rig.run(100);
    rig.send({ kind: "stopCarrying" });
    await rig.run(500);
    const moved = rig.browser.frames.size;
    expect(moved).toBeGreaterThan(0);
    expect(rig.disk.frames.size).toBe(24 - moved);
    expect(rig.notices.join()).toContain("the move was stopped, and the rest is where it was");
    rig.send({ kind: "carry", from: "main", to: "browser" });
    await rig.run(3000);
    expect([rig.disk.frames.size, rig.browser.frames.size]).toEqual([0, 24]);
  });

  test("leaves damaged frames behind, and ends where there is no room, with nothing lost", async () => {
    const rig = await filled();
    const [damaged] = rig.disk.frames.keys();
    rig.disk.damaged.add(damaged!);
    rig.browser.failure = { kind: "refused", code: "cap-reached", detail: "no room" };
    rig.send({ kind: "carry", from: "main", to: "browser" });
    await rig.run(500);
    expect(rig.notices.join()).toContain("The new place cannot be used now");
    rig.browser.failure = undefined;
    await rig.run(6000);
    rig.send({ kind: "carry", from: "main", to: "browser" });
    await rig.run(60);
    rig.browser.failure = { kind: "refused", code: "cap-reached", detail: "no room" };
    await rig.run(500);
    expect(rig.notices.join()).toContain("The move ended early: no room");
    rig.browser.failure = undefined;
    const all = new Set([...rig.disk.frames.keys(), ...rig.browser.frames.keys()]);
    expect(all.size).toBe(24);
    await rig.run(6000);
    rig.send({ kind: "carry", from: "main", to: "browser" });
    await rig.run(3000);
    expect(rig.browser.frames.size).toBe(23);
    expect(rig.notices.join()).toContain("1 were damaged and are rendered again");
  });
});
