import { IN_MEMORY, ON_DISK } from "@kinetocache/core";
import { EngineRig, FRAME_BYTES, FakeDisk, moving, onFakeTime, openEngine, SETTINGS } from "../../../../testing/engine";

const FRAMES = 24;

onFakeTime();

describe("disk", () => {
  test("what an earlier session rendered is played from it", async () => {
    const first = await openEngine();
    await first.fill();
    const second = await openEngine({}, first.disk);
    const { summary } = await second.measure();
    expect(summary.hits.disk).toBe(FRAMES - 1);
    expect(summary).toMatchObject({ onTimeShare: 1, bytesRead: (FRAMES - 1) * FRAME_BYTES });
    // The first frame is in memory: it was read to be seen.
    expect(second.status.rendered).toBe(0);
    expect(second.status.readRate).toBeGreaterThan(0);
  });

  test("a frame whose rendering began before the disk was listed is read from it all the same", async () => {
    const first = await openEngine();
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
    const rig = await openEngine();
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
    const rig = await openEngine();
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
    const first = await openEngine();
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
    const rig = await openEngine();
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
    const rig = await openEngine();
    rig.disk.failure = { kind: "refused", code: "cap-reached", detail: "The disk cache has reached its cap" };
    await rig.fill();
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.notices).toEqual(["The disk cache has reached its cap"]);
    expect((await rig.measure()).summary.onTimeShare).toBe(1);
  });
});

test("nothing is rendered in the background before it is known what is on disk", async () => {
  const first = await openEngine({ background: "Idle", idleDelayMs: 0 });
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
