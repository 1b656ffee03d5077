import { onFakeTime, openEngine } from "../../../../testing/engine";

const FRAMES = 24;

onFakeTime();

describe("measuring frames in parallel", () => {
  test("tries one, then all cores, keeps nothing, and gives the workers back", async () => {
    const rig = await openEngine({ parallel: 3, sharpenWhenParked: false });
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
    const rig = await openEngine();
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
    const rig = await openEngine();
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
    const rig = await openEngine();
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
    const rig = await openEngine({ effectsOn: "high-performance", parallel: 1 });
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
    const rig = await openEngine({ effectsOn: "high-performance", background: "Off" });
    rig.send({ kind: "measureTake" });
    await rig.run(600);
    rig.pool.graphicsFault = LOST;
    await rig.run(10_000);
    expect(rig.last("take").take).toMatchObject({ graphicsFault: LOST.reason, summary: { frames: FRAMES } });
    // The next one is of the processor from the start, and says that too.
    expect((await rig.measure()).graphicsFault).toBe(LOST.reason);
  });

  test("a lost device is tried again when that is asked for, not by itself", async () => {
    const rig = await openEngine({ effectsOn: "high-performance" });
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
    const rig = await openEngine({ effectsOn: "high-performance", fraction: 0.5 });
    rig.pool.graphicsFault = { reason: "A picture of 9 bytes is larger than the 8 that the device takes", lost: false };
    await rig.run(1500);
    expect(rig.notices).toEqual([]);
    expect(rig.status).toMatchObject({ sharp: true });
    expect(rig.status.graphicsFault).toBeUndefined();
  });

  test("the trial times each device on the same frames, compares their pixels, and keeps nothing", async () => {
    const rig = await openEngine({ sharpenWhenParked: false });
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
    const rig = await openEngine({ sharpenWhenParked: false });
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
    const rig = await openEngine();
    rig.pool.decodeFault = "No graphics device here decodes vp09";
    rig.configure({ decodingOn: "graphics" });
    rig.send({ kind: "play", speed: 1 });
    await rig.run(500);
    expect(rig.pool.decoding).toBe("graphics");
    expect(rig.notices).toEqual([`${rig.pool.decodeFault}. The processor decodes clips instead.`]);
  });

  test("a slow device is timed over what it got done in the time", async () => {
    const rig = await openEngine({ sharpenWhenParked: false, parallel: 1 });
    rig.pool.frameMs = 3000;
    rig.send({ kind: "measureGraphics", devices: ["processor"] });
    await rig.run(20_000);
    expect(rig.last("graphicsTrial").results).toMatchObject([{ device: "processor", frames: 2 }]);
  });
});
