import { buildBakeGraph, IN_MEMORY, ON_DISK, type Bake, type Document } from "@kinetocache/core";
import { document, effect, layer } from "../../../../testing/documents";
import { EngineRig, FRAME_BYTES, onFakeTime, SETTINGS } from "../../../../testing/engine";
import type { HeldBranch } from "./heldFrames";

onFakeTime();

const FRAMES = 24;
const x = { keyframes: [0, 24].map((frame) => ({ frame, value: frame, ease: "linear" as const })) };
const still = { x: 0, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 };

/** A sky behind a square that moves: two branches of the size of the picture. */
function scene(exposure = 0): Document {
  const grade = effect("grade", { exposure: exposure + 0.1 });
  return document([
    layer("sky", "noise", {}, { effects: [grade] }),
    layer("square", "solid", {}, { transform: { ...still, x } }),
  ]);
}

async function open(opened: Document = scene(), change: Partial<typeof SETTINGS> = {}): Promise<EngineRig> {
  const rig = new EngineRig(undefined, { ...SETTINGS, memoryBudgetBytes: 2 ** 24, ...change });
  await rig.open(opened);
  return rig;
}

const whole = { in: 0, out: FRAMES };

describe("orders", () => {
  test("a stretch is filled while parked, told with its progress, and is gone when it is done", async () => {
    const rig = await open();
    rig.pool.frameMs = 60;
    rig.send({ kind: "fill", target: { kind: "frames", range: { in: 4, out: 14 } } });
    await rig.run(80);
    expect(rig.pool.takeStarted()).toContain(4);
    await rig.run(300);
    expect(rig.all("status").some(({ status }) => (status.orders[0]?.held ?? 0) > 0)).toBe(true);
    await rig.run(2000);
    expect(rig.status.orders).toEqual([]);
    const { residency } = rig.last("timeline").data;
    expect([...residency.subarray(4, 14)].every((bits) => bits & IN_MEMORY)).toBe(true);
    expect(residency[20]! & IN_MEMORY).toBe(0);
  });

  test("it is paused and goes on; cancelled, nothing more is rendered", async () => {
    const rig = await open();
    rig.send({ kind: "fill", target: { kind: "frames", range: whole } });
    await rig.run(25);
    const [order] = rig.status.orders.length > 0 ? rig.status.orders : [{ id: 1 }];
    rig.send({ kind: "pauseFill", order: order!.id, paused: true });
    await rig.run(1000);
    rig.pool.takeStarted();
    await rig.run(1000);
    expect(rig.pool.takeStarted()).toEqual([]);
    expect(rig.status.orders).toMatchObject([{ paused: true, total: FRAMES }]);
    rig.send({ kind: "pauseFill", order: order!.id, paused: false });
    await rig.run(30);
    expect(rig.pool.takeStarted().length).toBeGreaterThan(0);
    rig.send({ kind: "cancelFill", order: order!.id });
    await rig.run(100);
    rig.pool.takeStarted();
    await rig.run(500);
    expect([rig.pool.takeStarted(), rig.status.orders]).toEqual([[], []]);
  });

  test("an edit and a seek leave it going, now for the new state; what is looked at comes first", async () => {
    const rig = await open();
    rig.pool.frameMs = 60;
    rig.send({ kind: "fill", target: { kind: "frames", range: whole } });
    await rig.run(80);
    rig.send({ kind: "seek", frame: 20, scrubbing: false });
    await rig.run(130);
    expect(rig.shown.length).toBeGreaterThan(1);
    rig.reopen(scene(1), "edit");
    await rig.run(5000);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.status.orders).toEqual([]);
  });

  test("memory that takes no more ends it, and says how far it came", async () => {
    const rig = await open(scene(), {
      memoryBudgetBytes: 6 * (FRAME_BYTES + 512),
      diskCache: { ...SETTINGS.diskCache, store: "Never" },
    });
    rig.send({ kind: "fill", target: { kind: "frames", range: whole } });
    await rig.run(3000);
    expect(rig.status.orders).toEqual([]);
    expect(rig.notices).toContainEqual(expect.stringMatching(/^Filling ended at \d+ of 24 frames/));
  });
});

describe("layers' finished pixels", () => {
  test("when the sky changes, the square is not rendered again, frame after frame", async () => {
    const rig = await open();
    rig.choose({ pinned: ["square"] });
    await rig.fill();
    // The frame on show was there before the layer was pinned.
    expect(rig.status.memory.branches).toBeGreaterThanOrEqual(FRAMES - 1);
    for (const exposure of [1, 2, 3]) {
      rig.pool.started.length = 0;
      rig.reopen(scene(exposure), "edit");
      rig.configure({ background: "Idle" });
      await rig.run(2000);
      const tasks = rig.pool.started.filter(({ settings }) => settings.fraction === 1);
      expect(rig.held(IN_MEMORY)).toBe(FRAMES);
      const squares = tasks.flatMap(({ branches }) =>
        branches!.held.filter((branch) => (branch as HeldBranch).layer === "square"),
      );
      expect(squares.length).toBeGreaterThanOrEqual(exposure === 1 ? FRAMES - 1 : FRAMES);
    }
  });

  test("a layer is filled by itself, and the lanes show where it is held", async () => {
    const rig = await open();
    rig.send(
      { kind: "follow", layer: "square" },
      { kind: "fill", target: { kind: "layer", layer: "square", range: whole } },
    );
    await rig.run(3000);
    expect(rig.status.orders).toEqual([]);
    const { data } = rig.last("timeline");
    expect(data.layer?.id).toBe("square");
    expect([...data.layer!.residency].every((bits) => bits === IN_MEMORY)).toBe(true);
    expect(rig.held(IN_MEMORY)).toBeLessThan(FRAMES);
  });

  test("background rendering of the marked layers alone renders no whole frame", async () => {
    const rig = await open(scene(), { background: "Marked", idleDelayMs: 0 });
    rig.choose({ marked: ["square"] });
    await rig.run(3000);
    expect(rig.pool.takeStarted()).toEqual([]);
    expect(rig.status.memory.branches).toBe(FRAMES);
  });

  test("pinned ones outlive everything else when memory is short", async () => {
    const rig = await open();
    rig.choose({ pinned: ["square"] });
    rig.send({ kind: "fill", target: { kind: "layer", layer: "square", range: whole } });
    await rig.run(2000);
    await rig.fill();
    const pinnedBytes = rig.status.memory.branchBytes;
    rig.configure({ memoryBudgetBytes: pinnedBytes + FRAMES * 512 });
    await rig.run(200);
    expect(rig.status.memory.branchBytes).toBe(pinnedBytes);
    expect(rig.status.memory.frames).toBe(0);
  });

  test("a branch that went along with a frame is back when the frame is done, also when it was cancelled", async () => {
    const rig = await open();
    rig.choose({ pinned: ["square"] });
    rig.send({ kind: "fill", target: { kind: "layer", layer: "square", range: whole } });
    await rig.run(2000);
    rig.pool.frameMs = 500;
    rig.send({ kind: "seek", frame: 9, scrubbing: false });
    await rig.run(20);
    rig.send({ kind: "seek", frame: 3, scrubbing: false });
    await rig.run(2000);
    expect(rig.status.memory.branches).toBe(FRAMES);
    rig.pool.started.length = 0;
    rig.send({ kind: "seek", frame: 9, scrubbing: false });
    await rig.run(1000);
    const [task] = rig.pool.started.filter(({ frame }) => frame === 9);
    expect(task!.branches!.held.map((branch) => (branch as HeldBranch).layer)).toContain("square");
  });
});

describe("trade-offs", () => {
  test("scrubbing shows the small picture, resting the one of the preview", async () => {
    const rig = await open(scene(), { scrubFraction: 0.25, sharpenWhenParked: false });
    rig.pool.started.length = 0;
    rig.send({ kind: "seek", frame: 7, scrubbing: true });
    await rig.run(40);
    expect(rig.pool.started.map(({ frame, settings }) => [frame, settings.fraction])).toEqual([[7, 0.25]]);
    await rig.run(400);
    expect(rig.pool.takeStarted()).toContain(7);
    // The small picture is found again, at once.
    rig.send({ kind: "seek", frame: 3, scrubbing: true });
    await rig.run(40);
    rig.pool.started.length = 0;
    rig.send({ kind: "seek", frame: 7, scrubbing: true }, { kind: "seek", frame: 3, scrubbing: true });
    await rig.run(40);
    expect(rig.pool.started).toEqual([]);
  });

  test("frames with solo layers are kept in memory alone; without, what was held before is found again", async () => {
    const rig = await open();
    await rig.fill();
    await rig.run(1000);
    const stores = rig.disk.stores;
    rig.choose({ solo: ["square"] });
    await rig.fill();
    await rig.run(1000);
    expect(rig.disk.stores).toBe(stores);
    expect(rig.held(ON_DISK)).toBe(0);
    rig.pool.takeStarted();
    rig.choose({ solo: [] });
    await rig.run(500);
    expect(rig.pool.takeStarted()).toEqual([]);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  });

  test("switched off together, the preview is what the output is", async () => {
    const rig = await open(scene(), { fraction: 0.5, effects: "None", scrubFraction: 0.25, motionBlur: false });
    rig.choose({ effectsOff: ["sky"] });
    await rig.run(100);
    rig.pool.started.length = 0;
    rig.configure({ tradeOffs: false });
    await rig.run(100);
    expect(rig.pool.started[0]!.settings).toEqual({
      fraction: 1,
      effects: "All",
      motionBlur: true,
      solo: [],
      effectsOff: [],
      missing: [],
      renderer: "cpu-1",
    });
  });
});

describe("baked frames", () => {
  const target = { composition: "main", layer: "sky" };
  const how = { fraction: 1, renderer: "cpu-1", depth: "half" } as const;
  const bake: Bake = {
    id: "bake",
    target,
    range: whole,
    ...how,
    location: "main",
    sequence: "stored",
    keys: Array.from({ length: FRAMES }, (_, frame) => buildBakeGraph(scene(), target, frame, how).liveKey),
    packed: true,
    complete: true,
    enabled: true,
    locked: false,
  };

  test("one that is missing is said once, and the live layer is played there", async () => {
    const rig = await open();
    rig.pool.unreadable.add("stored/5").add("stored/6");
    rig.send({ kind: "bakes", bakes: [bake] });
    await rig.fill();
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.status.unreadable).toEqual(["stored/5", "stored/6"]);
    expect(rig.notices.filter((text) => text.startsWith("A baked frame is not played"))).toHaveLength(1);
  });

  test("while the server is gone all of them are played live, said once; when it is back the bake is played again", async () => {
    const rig = await open();
    rig.pool.unreadable.add("stored/5");
    rig.pool.serverIsGone = true;
    rig.disk.failure = { kind: "unreachable", detail: "the server does not answer" };
    rig.send({ kind: "bakes", bakes: [bake] }, { kind: "seek", frame: 5, scrubbing: false });
    await rig.run(1000);
    expect(rig.status.unreadable).toHaveLength(FRAMES);
    await rig.fill();
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.notices.filter((text) => text.startsWith("A baked frame is not played"))).toHaveLength(1);
    rig.pool.unreadable.clear();
    rig.disk.failure = undefined;
    rig.send({ kind: "diskChanged" });
    await rig.run(30_000);
    expect(rig.status.unreadable).toEqual([]);
  });

  test("what is cached live stays of use under a bake, and after it; the rest is read", async () => {
    const rig = await open();
    rig.send({ kind: "range", range: { in: 0, out: 8 } });
    rig.send({ kind: "fill", target: { kind: "frames", range: { in: 0, out: 8 } } });
    await rig.run(1000);
    const live = rig.held(IN_MEMORY);
    expect(live).toBeGreaterThanOrEqual(8);
    rig.pool.takeStarted();
    // A part is never played.
    rig.send({ kind: "bakes", bakes: [{ ...bake, complete: false }] });
    await rig.run(300);
    expect(rig.held(IN_MEMORY)).toBe(live);
    rig.send({ kind: "bakes", bakes: [bake] });
    await rig.run(500);
    expect(rig.held(IN_MEMORY)).toBe(live);
    expect(rig.pool.takeStarted()).toEqual([]);
    const before = rig.status.rendered;
    await rig.fill();
    expect(rig.status.rendered - before).toBe(FRAMES - live);
    rig.send({ kind: "bakes", bakes: [] });
    await rig.run(300);
    expect(rig.held(IN_MEMORY)).toBe(live);
    await rig.fill();
    rig.pool.takeStarted();
    rig.send({ kind: "bakes", bakes: [] });
    await rig.run(300);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
    expect(rig.pool.takeStarted()).toEqual([]);
  });
});

describe("baking", () => {
  const part: Bake = {
    id: "bake",
    target: { composition: "main", layer: "square" },
    range: { in: 2, out: 12 },
    fraction: 1,
    depth: "8-bit",
    packed: true,
    renderer: "cpu-1",
    location: "main",
    sequence: "stored",
    keys: [],
    complete: false,
    enabled: true,
    locked: false,
  };

  test("renders every frame of the range once, has it checked, and is told with its keys", async () => {
    const rig = await open();
    rig.send({ kind: "bake", bake: part });
    await rig.run(1000);
    expect([...rig.pool.baked.keys()]).toEqual(Array.from({ length: 10 }, (_, number) => `stored/${number}`));
    expect(rig.completed).toEqual(["stored"]);
    const { bake } = rig.last("baked");
    expect(bake).toMatchObject({ id: "bake", complete: true, enabled: true });
    expect(bake.keys).toEqual([...rig.pool.baked.values()]);
    expect(rig.status.bakes).toEqual([]);
  });

  test("paused it rests, and goes on with what is missing; stopped, its part is there for the next time", async () => {
    const rig = await open();
    rig.pool.frameMs = 50;
    rig.send({ kind: "bake", bake: part });
    await rig.run(120);
    rig.send({ kind: "pauseBake", bake: "bake", paused: true });
    await rig.run(300);
    const stored = rig.pool.baked.size;
    expect(stored).toBeGreaterThan(0);
    expect(stored).toBeLessThan(10);
    await rig.run(1000);
    expect(rig.pool.baked.size).toBe(stored);
    expect(rig.status.bakes).toMatchObject([{ id: "bake", done: stored, total: 10, paused: true }]);
    rig.send({ kind: "stopBake", bake: "bake" });
    await rig.run(300);
    expect(rig.status.bakes).toEqual([]);
    expect(rig.pool.baked.size).toBe(stored);
    rig.send({ kind: "bake", bake: part });
    await rig.run(2000);
    expect(rig.all("baked")).toHaveLength(1);
    expect(rig.pool.baked.size).toBe(10);
  });

  test("an edit underneath meanwhile has the frames made again, so that the bake is of one state", async () => {
    const rig = await open();
    rig.pool.frameMs = 40;
    rig.send({ kind: "bake", bake: { ...part, target: { ...part.target, layer: "sky" } } });
    await rig.run(130);
    rig.reopen(scene(3), "edit");
    await rig.run(3000);
    const { bake } = rig.last("baked");
    const expected = (frame: number) => buildBakeGraph(scene(3), bake.target, frame, bake).liveKey;
    expect(bake.keys).toEqual([2, 3, 4, 5, 6, 7, 8, 9, 10, 11].map(expected));
  });

  test("what is looked at and what is played comes first", async () => {
    const rig = await open();
    await rig.fill();
    rig.pool.frameMs = 100;
    rig.send({ kind: "bake", bake: part });
    await rig.run(150);
    rig.send({ kind: "play", speed: 1 });
    await rig.run(250);
    const stored = rig.pool.baked.size;
    await rig.run(1000);
    expect(rig.pool.baked.size).toBe(stored);
    rig.send({ kind: "pause" });
    await rig.run(3000);
    expect(rig.all("baked")).toHaveLength(1);
  });

  test("a location that takes nothing more makes it rest, with the reason", async () => {
    const rig = await open();
    rig.pool.bakeRefusal = "/cache has reached its cap";
    rig.send({ kind: "bake", bake: part });
    await rig.run(500);
    expect(rig.status.bakes).toMatchObject([{ paused: true }]);
    expect(rig.notices).toEqual(["The bake rests: /cache has reached its cap"]);
    rig.pool.bakeRefusal = undefined;
    rig.send({ kind: "pauseBake", bake: "bake", paused: false });
    await rig.run(1000);
    expect(rig.all("baked")).toHaveLength(1);
  });
});

describe("two variants", () => {
  const dusk = (): Document => {
    const first = scene();
    const second = { ...scene(2).compositions.main!, id: "dusk" };
    return {
      ...first,
      variants: [...first.variants, { composition: "dusk", name: "Dusk" }],
      compositions: { ...first.compositions, dusk: second },
    };
  };

  test("switching to one that was filled renders nothing", async () => {
    const rig = await open(dusk());
    await rig.fill();
    rig.reopen({ ...dusk(), main: "dusk" }, "edit");
    await rig.fill();
    rig.pool.takeStarted();
    rig.reopen(dusk(), "edit");
    await rig.run(500);
    rig.reopen({ ...dusk(), main: "dusk" }, "edit");
    await rig.run(500);
    expect(rig.pool.takeStarted()).toEqual([]);
    expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  });

  test("compared, both are rendered and shown together, parked and playing in step", async () => {
    const rig = await open(dusk());
    const comparison = { variant: "dusk", layout: "wipe", wipe: 0.5, parkedOnly: false } as const;
    rig.shown.length = 0;
    rig.pool.started.length = 0;
    rig.send({ kind: "compare", with: comparison });
    await rig.run(200);
    expect(rig.shown).toHaveLength(2);
    expect(rig.pool.started.map(({ variant }) => variant)).toEqual(["dusk"]);
    await rig.fill();
    rig.shown.length = 0;
    rig.send({ kind: "play", speed: 1 });
    await rig.run(500);
    rig.send({ kind: "pause" });
    expect(rig.shown.length).toBeGreaterThan(16);
    expect(rig.shown.length % 2).toBe(0);
    expect(rig.pool.takeStarted()).toEqual([]);
  });

  test("at the parked frame only, playback needs the open variant alone", async () => {
    const rig = await open(dusk());
    await rig.fill();
    rig.send({ kind: "compare", with: { variant: "dusk", layout: "side by side", wipe: 0.5, parkedOnly: true } });
    await rig.run(300);
    rig.pool.started.length = 0;
    rig.send({ kind: "play", speed: 1 });
    await rig.run(500);
    expect(rig.pool.started).toEqual([]);
    rig.send({ kind: "pause" });
    await rig.run(300);
    expect(rig.pool.started.map(({ variant }) => variant)).toContain("dusk");
  });
});

describe("why a frame is held or not", () => {
  test("is told with where it stands, and what its layers cost", async () => {
    const rig = await open(scene(), {
      memoryBudgetBytes: 8 * (FRAME_BYTES + 512),
      diskCache: { ...SETTINGS.diskCache, store: "Never" },
    });
    await rig.fill();
    rig.send({ kind: "explain", frame: 0 }, { kind: "explain", frame: 23 });
    const [near, far] = rig.all("explanation").map(({ explanation }) => explanation);
    expect(near).toMatchObject({
      frame: 0,
      held: { memory: true },
      rule: "free",
      parts: { distance: 0, inRange: true },
    });
    expect(near!.standing).toMatchObject({ kind: "frame", entries: expect.any(Number) });
    expect(near!.standing!.before).toBeGreaterThan(0);
    expect(near!.layers.map(({ layer: id }) => id)).toEqual(["sky", "square"]);
    expect(far).toMatchObject({ frame: 23, held: { memory: false }, standing: undefined });
    rig.send({ kind: "play", speed: 1 }, { kind: "explain", frame: 3 });
    expect(rig.last("explanation").explanation).toMatchObject({ rule: "playback", nextUse: expect.any(Number) });
  });
});

describe("what is worth baking", () => {
  /** Frames take longer than they may, as some of them have shown. */
  async function slow(): Promise<EngineRig> {
    const rig = await open(scene(), { sharpenWhenParked: false });
    rig.pool.frameMs = 120;
    rig.configure({ fraction: 0.5 });
    rig.send({ kind: "fill", target: { kind: "frames", range: { in: 0, out: 8 } } });
    await rig.run(8000);
    return rig;
  }

  test("is tried on frames and told; what is held needs no bake", async () => {
    const rig = await slow();
    rig.send({ kind: "suggestBakes", roomBytes: 2 ** 30, sequence: "trial" });
    await rig.run(20_000);
    const suggested = rig.last("suggestedBakes").suggested!;
    expect(suggested).toMatchObject({ composition: "main", range: whole });
    expect(suggested.present.onTimeShare).toBeLessThan(1);
    expect(rig.pool.started.some(({ tries }) => tries !== undefined)).toBe(true);
    expect(rig.status.trial).toBeUndefined();
    rig.configure({ background: "Idle", idleDelayMs: 0 });
    await rig.run(20_000);
    rig.send({ kind: "suggestBakes", roomBytes: 2 ** 30, sequence: "trial" });
    await rig.run(2000);
    expect(rig.last("suggestedBakes").suggested).toMatchObject({
      offers: [],
      triedFrames: 0,
      present: { onTimeShare: 1 },
    });
  });

  test("is measured as in playback, with the picture on show shown again and again, and it stays on show", async () => {
    const rig = await slow();
    const before = rig.shown.length;
    const onShow = rig.shown.at(-1)!;
    rig.send({ kind: "suggestBakes", roomBytes: 2 ** 30, sequence: "trial" });
    await rig.run(20_000);
    const again = rig.shown.slice(before);
    const read = rig.pool.started.filter(({ tries }) => tries?.made !== undefined);
    expect(again.length).toBeGreaterThan(read.length / 4);
    expect(again.every(({ pixels }) => pixels === onShow.pixels)).toBe(true);
  });

  test("is given up when the user does something", async () => {
    const rig = await slow();
    rig.send({ kind: "suggestBakes", roomBytes: 2 ** 30, sequence: "trial" });
    await rig.run(200);
    rig.send({ kind: "seek", frame: 3, scrubbing: false });
    await rig.run(20_000);
    expect(rig.all("suggestedBakes")).toEqual([{ kind: "suggestedBakes", suggested: undefined }]);
    expect(rig.notices.join()).toMatch(/bakes was stopped|worth baking was stopped/);
  });
});
