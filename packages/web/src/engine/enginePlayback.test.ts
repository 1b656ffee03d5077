import { EngineRig, FRAME_BYTES, moving, onFakeTime, openEngine, SETTINGS } from "../../../../testing/engine";

const FRAMES = 24;
// A frame with its bookkeeping.
const room = (frames: number) => frames * (FRAME_BYTES + 512);

onFakeTime();

describe("playing", () => {
  test("from memory is real time: every frame on time, none skipped", async () => {
    const rig = await openEngine();
    await rig.fill();
    const { summary, heldAtStart } = await rig.measure();
    expect(heldAtStart).toEqual({ memory: FRAMES, disk: FRAMES });
    expect(summary).toMatchObject({ frames: FRAMES, onTimeShare: 1, skipped: 0, late: 0 });
    expect(summary.hits).toEqual({ memory: FRAMES, disk: 0, rendered: 0, skipped: 0 });
    expect(summary.reachedRate).toBeCloseTo(24, 0);
  });

  test("uncached and too slow, it says so: frames are skipped, and the time is the layer's", async () => {
    const rig = await openEngine();
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
    const rig = await openEngine();
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
    const rig = await openEngine({ pacing: "show every frame" });
    rig.pool.frameMs = 200;
    const { summary } = await rig.measure();
    expect(summary.skipped).toBe(0);
    expect(summary.hits.rendered).toBe(FRAMES - 1);
    // Two workers at 200 ms.
    expect(summary.reachedRate).toBeGreaterThan(8);
    expect(summary.reachedRate).toBeLessThan(11);
  });

  test("a loop that does not fit into memory keeps most of it", async () => {
    const rig = await openEngine({ memoryBudgetBytes: room(20) });
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
    const rig = await openEngine();
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
    const rig = await openEngine({ background: "Idle", idleDelayMs: 0 });
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
    const rig = await openEngine();
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
    const rig = await openEngine({ parallel: 2 });
    rig.send({ kind: "measureTake" });
    await rig.run(700);
    change(rig);
    await rig.run(3000);
    expect(rig.all("take")).toEqual([]);
    expect(rig.all("takeStopped")).toEqual([{ kind: "takeStopped", changed: true }]);
  });

  test("what does not decide how a take goes may change in its middle", async () => {
    const rig = await openEngine();
    rig.send({ kind: "measureTake" });
    await rig.run(700);
    rig.configure({ idleDelayMs: 9000 });
    rig.choose({ pinned: ["square"] });
    await rig.run(3000);
    expect(rig.all("take")).toHaveLength(1);
  });

  test("the screens are told no more often than they can use", async () => {
    const rig = await openEngine();
    await rig.fill();
    rig.events.length = 0;
    rig.send({ kind: "play", speed: 1 });
    await rig.run(2000);
    expect(rig.all("status").length).toBeLessThanOrEqual(9);
    expect(rig.all("playhead").length).toBeLessThanOrEqual(26);
    expect(rig.all("playhead").length).toBeGreaterThan(12);
  });

  test("space plays and pauses; J and L shuttle, each time twice as fast, and turn round at once", async () => {
    const rig = await openEngine();
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
    const rig = await openEngine();
    await rig.fill();
    rig.send({ kind: "play", speed: 1 });
    await rig.run(300);
    rig.configure({ loop: false });
    await rig.run(2000);
    expect(rig.status).toMatchObject({ mode: "parked", playhead: FRAMES - 1 });
  });
});
