import fc from "fast-check";
import { IN_MEMORY, ON_DISK } from "../cache";
import {
  fillOrder,
  frameOfStep,
  schedule,
  stepAt,
  type Action,
  type FrameJob,
  type PlayClock,
  type Snapshot,
} from "./scheduler";

const clock: PlayClock = { startMs: 1000, startFrame: 0, speed: 1, pacing: "keep time", loop: true };

const rendering = (ms: number, duration = 100): Snapshot["rendering"] => ({
  costs: new Float32Array(duration).fill(ms),
  slowdown: 1,
  unknownMs: 0,
});

function snapshot(change: Partial<Snapshot> & { held?: readonly number[]; disk?: readonly number[] } = {}): Snapshot {
  const duration = change.duration ?? 100;
  const residency = new Uint8Array(duration);
  change.held?.forEach((frame) => (residency[frame]! |= IN_MEMORY));
  change.disk?.forEach((frame) => (residency[frame]! |= ON_DISK));
  return {
    nowMs: 1000,
    mode: "parked",
    playhead: 0,
    duration,
    range: { in: 0, out: duration },
    budgetMs: 40,
    residency,
    jobs: [],
    renderSlots: 2,
    fetchSlots: 2,
    rendering: rendering(100, duration),
    fetchMs: 10,
    window: { before: 4, after: 12 },
    shownStep: -1,
    memoryFits: 200,
    memoryRoom: 100,
    diskFromMs: 0,
    sharpen: "off",
    overflow: new Set(),
    failed: new Set(),
    scrub: "off",
    orders: [],
    marked: [],
    layersFilled: new Map([["title", new Uint8Array(duration)]]),
    idleFills: "frames",
    fillsWhilePlaying: false,
    ...change,
  };
}

const job = (
  id: number,
  frame: number,
  purpose: FrameJob["purpose"] = "fill",
  kind: FrameJob["kind"] = "render",
): FrameJob => ({
  id,
  frame,
  purpose,
  kind,
  startedMs: 0,
});
const of = <K extends Action["kind"]>(actions: Action[], kind: K) =>
  actions.filter((action): action is Extract<Action, { kind: K }> => action.kind === kind);
const all = (length: number) => Array.from({ length }, (_, frame) => frame);

describe("parked", () => {
  test("a frame that turns out to be on disk is read rather than rendered to its end, where that is quicker", () => {
    const viewed = job(7, 0, "view");
    const fetched = { kind: "fetch", frame: 0, purpose: "view" } as const;
    expect(schedule(snapshot({ disk: [0], jobs: [viewed] }))).toEqual([{ kind: "cancel", job: 7 }, fetched]);
    expect(schedule(snapshot({ disk: [0], jobs: [viewed, job(8, 0, "view", "fetch")] }))).toEqual([]);
    expect(schedule(snapshot({ disk: [0], jobs: [viewed], fetchMs: 110 }))).toEqual([]);
    expect(schedule(snapshot({ jobs: [viewed] }))).toEqual([]);
  });

  test("the frame under the playhead is shown when held, fetched when on disk, otherwise rendered", () => {
    expect(schedule(snapshot({ held: [0] }))).toEqual([{ kind: "show", frame: 0, step: 0 }]);
    expect(schedule(snapshot({ disk: [0] }))).toEqual([{ kind: "fetch", frame: 0, purpose: "view" }]);
    expect(schedule(snapshot())).toEqual([{ kind: "render", frame: 0, purpose: "view", keep: "memory" }]);
  });

  test("what reads back slower than it renders is rendered", () => {
    expect(schedule(snapshot({ disk: [0], fetchMs: 300 }))).toEqual([
      { kind: "render", frame: 0, purpose: "view", keep: "memory" },
    ]);
  });

  test("a frame that is on show already is left alone, and sharpened once that is wanted", () => {
    expect(schedule(snapshot({ held: [0], shownFrame: 0 }))).toEqual([]);
    expect(schedule(snapshot({ held: [0], shownFrame: 0, sharpen: "wanted" }))).toEqual([
      { kind: "render", frame: 0, purpose: "sharpen", keep: "memory" },
    ]);
    expect(schedule(snapshot({ held: [0], shownFrame: 0, sharpen: "done" }))).toEqual([]);
  });

  test("a frame that failed is not tried again", () => {
    expect(schedule(snapshot({ failed: new Set([0]) }))).toEqual([]);
  });

  test("a frame that cannot be rendered is read where it is on disk, however slow that is, and not sharpened", () => {
    const failed = new Set([0]);
    const read = schedule(snapshot({ failed, disk: [0], fetchMs: 1000, rendering: rendering(1) }));
    expect(read).toEqual([{ kind: "fetch", frame: 0, purpose: "view" }]);
    const sharp = schedule(snapshot({ failed, held: [0], shownFrame: 0, sharpen: "wanted" }));
    expect(sharp).toEqual([]);
  });
});

test("scrubbing leaves only the newest position in work", () => {
  const actions = schedule(
    snapshot({ mode: "scrubbing", playhead: 30, jobs: [job(1, 28, "view"), job(2, 29, "view")], renderSlots: 4 }),
  );
  expect(of(actions, "cancel").map((action) => action.job)).toEqual([1, 2]);
  expect(of(actions, "render").map((action) => action.frame)).toEqual([30]);
});

describe("filling", () => {
  test("works through the window, the range and the rest, once each", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 59 }),
        fc.integer({ min: 0, max: 30 }),
        fc.integer({ min: 0, max: 30 }),
        fc.integer({ min: 0, max: 40 }),
        (playhead, before, after, start) => {
          const order = [
            ...fillOrder({
              playhead,
              window: { before, after },
              range: { in: start, out: start + 20 },
              duration: 60,
              marked: [],
              idleFills: "frames",
            }),
          ].map(({ frame }) => frame);
          expect([...order].sort((a, b) => a - b)).toEqual(all(60));
          expect(order[0]).toBe(playhead);
          const inWindow = Math.min(59, playhead + after) - Math.max(0, playhead - before) + 1;
          for (const frame of order.slice(0, inWindow))
            expect(frame >= playhead - before && frame <= playhead + after).toBe(true);
          const rest = order.slice(inWindow).map((frame) => frame >= start && frame < start + 20);
          expect(rest.lastIndexOf(true)).toBeLessThan(
            rest.includes(false) ? rest.indexOf(false) || Infinity : Infinity,
          );
        },
      ),
    );
  });

  test("takes as many frames as there are workers, those on disk by reading them", () => {
    const actions = schedule(snapshot({ mode: "filling", held: [0], shownFrame: 0, disk: [2] }));
    expect(of(actions, "render").map((action) => action.frame)).toEqual([1, 3]);
    expect(of(actions, "fetch").map((action) => action.frame)).toEqual([2]);
  });

  test("once memory has no room, frames that are not on disk are rendered for the disk, and no others", () => {
    const full = { mode: "filling" as const, held: [0], shownFrame: 0, memoryRoom: 0, disk: [1] };
    expect(of(schedule(snapshot(full)), "render")).toEqual([
      { kind: "render", frame: 2, purpose: "fill", keep: "disk" },
      { kind: "render", frame: 3, purpose: "fill", keep: "disk" },
    ]);
    expect(schedule(snapshot({ ...full, diskFromMs: Infinity }))).toEqual([]);
  });

  test("a frame that waits to be written is not rendered again meanwhile", () => {
    const full = { mode: "filling" as const, held: [0], shownFrame: 0, memoryRoom: 0 };
    const actions = schedule(snapshot({ ...full, overflow: new Set([1, 3]) }));
    expect(of(actions, "render").map(({ frame }) => frame)).toEqual([2, 4]);
  });

  test("frames in work count as room taken", () => {
    const actions = schedule(
      snapshot({
        mode: "filling",
        held: [0],
        shownFrame: 0,
        memoryRoom: 2,
        diskFromMs: Infinity,
        jobs: [job(1, 1)],
        renderSlots: 8,
      }),
    );
    expect(of(actions, "render").map((action) => action.frame)).toEqual([2]);
  });

  test("every other mode stops it at once", () => {
    for (const mode of ["parked", "scrubbing"] as const) {
      expect(of(schedule(snapshot({ mode, held: [0], jobs: [job(7, 5)] })), "cancel")).toEqual([
        { kind: "cancel", job: 7 },
      ]);
    }
    expect(of(schedule(snapshot({ mode: "playing", clock, held: [0], jobs: [job(7, 5)] })), "cancel")).toEqual([
      { kind: "cancel", job: 7 },
    ]);
  });
});

describe("playing and keeping time", () => {
  const playing = (change: Parameters<typeof snapshot>[0]) => schedule(snapshot({ mode: "playing", clock, ...change }));

  test("shows the frame that is due and counts those passed over", () => {
    const actions = playing({ nowMs: 1000 + 3 * 40 + 1, shownStep: 0, held: [3] });
    expect(of(actions, "skip").map((action) => action.step)).toEqual([1, 2]);
    expect(of(actions, "show")).toEqual([{ kind: "show", frame: 3, step: 3 }]);
  });

  test("a frame that is due but not there is waited for until the next one is due", () => {
    const actions = playing({ nowMs: 1041, shownStep: 0 });
    expect(of(actions, "show")).toEqual([]);
    expect(of(actions, "skip")).toEqual([]);
  });

  test("while the frame that is due is not there, the latest one that came too late is shown", () => {
    const actions = playing({ nowMs: 1000 + 6 * 40 + 1, shownStep: 1, held: [0, 1, 3, 4, 9] });
    expect(of(actions, "skip").map((action) => action.step)).toEqual([2, 3]);
    expect(of(actions, "show")).toEqual([{ kind: "show", frame: 4, step: 4 }]);
    // What was on show already is not shown again.
    expect(of(playing({ nowMs: 1241, shownStep: 4, held: [3, 4] }), "show")).toEqual([]);
  });

  test("renders only what can be ready in time", () => {
    // At 100 ms a frame the first that can be shown before its successor is due is two steps ahead.
    expect(of(playing({ nowMs: 1000 }), "render").map((action) => action.frame)).toEqual([2, 3]);
  });

  test("when by the estimates nothing can be ready in time, the furthest frame of the window is tried", () => {
    const slow = { nowMs: 1000, rendering: rendering(10_000) };
    expect(of(playing(slow), "render").map((action) => action.frame)).toEqual([12]);
    expect(of(playing({ ...slow, jobs: [job(1, 9, "play")] }), "render")).toEqual([]);
  });

  test("reads what can be read in time and renders what lies further", () => {
    const actions = playing({ nowMs: 1000, disk: [1, 2, 3], fetchMs: 60 });
    expect(of(actions, "fetch").map((action) => action.frame)).toEqual([1, 2]);
    expect(of(actions, "render").map((action) => action.frame)).toEqual([4, 5]);
  });

  test("begins frames no earlier than it must when the loop does not fit into memory", () => {
    const held = all(100).filter((frame) => frame !== 8);
    expect(of(playing({ nowMs: 1000, held, memoryFits: 99 }), "render")).toEqual([]);
    // 100 ms are three steps, and two workers may be busy with others.
    expect(
      of(playing({ nowMs: 1000 + 3 * 40, shownStep: 2, held, memoryFits: 99 }), "render").map((action) => action.frame),
    ).toEqual([8]);
    expect(of(playing({ nowMs: 1000, held, memoryFits: 100 }), "render").map((action) => action.frame)).toEqual([8]);
  });

  test("wraps at the loop's end and ends without one", () => {
    const atEnd = { nowMs: 1000 + 98 * 40, shownStep: 97, held: [98] };
    expect(of(playing({ ...atEnd }), "render").map((action) => action.frame)).toEqual([0, 1]);
    const straight = { ...clock, loop: false };
    // Only the last frame is left; it comes late, but better than not at all.
    expect(of(playing({ ...atEnd, clock: straight }), "render").map((action) => action.frame)).toEqual([99]);
    expect(playing({ nowMs: 1000 + 100 * 40, shownStep: 99, clock: straight })).toEqual([{ kind: "end" }]);
  });

  test("backwards and shuttled steps name the right frames", () => {
    const range = { in: 10, out: 20 };
    expect([0, 1, 2].map((step) => frameOfStep({ ...clock, startFrame: 11, speed: -1 }, step, range))).toEqual([
      11, 10, 19,
    ]);
    expect(
      [0, 1, 2].map((step) => frameOfStep({ ...clock, startFrame: 16, speed: 2, loop: false }, step, range)),
    ).toEqual([16, 18, undefined]);
  });

  test("the step that is due never lies before its own due time", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 1e6 }),
        fc.double({ min: 1, max: 1000, noNaN: true }),
        (step, budgetMs) => stepAt(clock, clock.startMs + step * budgetMs, budgetMs) === step,
      ),
    );
  });
});

describe("playing and showing every frame", () => {
  const every = { ...clock, pacing: "show every frame" as const };

  test("waits for the next frame however late it is, and skips none", () => {
    const late = snapshot({ mode: "playing", clock: every, nowMs: 5000, shownStep: 0 });
    expect(of(schedule(late), "show")).toEqual([]);
    expect(of(schedule(late), "skip")).toEqual([]);
    expect(of(schedule(late), "render").map((action) => action.frame)).toEqual([1, 2]);
    expect(of(schedule({ ...late, residency: snapshot({ held: [1] }).residency }), "show")).toEqual([
      { kind: "show", frame: 1, step: 1 },
    ]);
  });

  test("shows no frame before it is due", () => {
    expect(
      of(schedule(snapshot({ mode: "playing", clock: every, nowMs: 1030, shownStep: 0, held: all(100) })), "show"),
    ).toEqual([]);
  });

  test("passes over only a frame that cannot be rendered at all", () => {
    const actions = schedule(
      snapshot({ mode: "playing", clock: every, nowMs: 1040, shownStep: 0, failed: new Set([1]) }),
    );
    expect(of(actions, "skip").map((action) => action.frame)).toEqual([1]);
  });
});

test("in every state: no more jobs than slots, none twice, none for what is held", () => {
  const frames = fc.array(fc.integer({ min: 0, max: 99 }), { maxLength: 60 });
  fc.assert(
    fc.property(
      fc.record({
        mode: fc.constantFrom("parked", "scrubbing", "playing", "filling") as fc.Arbitrary<Snapshot["mode"]>,
        held: frames,
        disk: frames,
        busy: fc.uniqueArray(fc.integer({ min: 0, max: 99 }), { maxLength: 3 }),
        playhead: fc.integer({ min: 0, max: 99 }),
        nowMs: fc.double({ min: 1000, max: 20_000, noNaN: true }),
        pacing: fc.constantFrom<PlayClock["pacing"]>("keep time", "show every frame"),
      }),
      ({ busy, pacing, ...change }) => {
        const jobs = busy.map((frame, id) => job(id, frame, "play"));
        const state = snapshot({ ...change, clock: { ...clock, pacing }, jobs, renderSlots: 4 });
        const actions = schedule(state);
        const started = [...of(actions, "render"), ...of(actions, "fetch")].map((action) => action.frame);
        const cancelled = new Set(of(actions, "cancel").map((action) => action.job));
        expect(new Set(started).size).toBe(started.length);
        expect(of(actions, "render").length + jobs.length).toBeLessThanOrEqual(Math.max(4, jobs.length));
        for (const frame of started) {
          expect(state.residency[frame]! & IN_MEMORY).toBe(0);
          expect(jobs.some((one) => one.frame === frame && !cancelled.has(one.id))).toBe(false);
        }
      },
    ),
    { numRuns: 400 },
  );
});

describe("what was ordered", () => {
  const range = { in: 20, out: 30 };
  const renders = (actions: Action[]) =>
    of(actions, "render").map(({ frame, layer, purpose }) => [purpose, frame, layer]);

  test("is filled while parked, beside what is to be shown, and before what idle filling covers", () => {
    const parked = snapshot({ held: [0], orders: [{ kind: "frames", range }] });
    expect(renders(schedule(parked))).toEqual([
      ["order", 20, undefined],
      ["order", 21, undefined],
    ]);
    const idle = {
      ...parked,
      mode: "filling" as const,
      renderSlots: 3,
      orders: [{ kind: "frames" as const, range: { in: 20, out: 21 } }],
    };
    expect(renders(schedule(idle))).toEqual([
      ["order", 20, undefined],
      ["fill", 1, undefined],
      ["fill", 2, undefined],
    ]);
  });

  test("gives one slot to the frame that is looked at, and no more", () => {
    const jobs = [job(1, 20, "order"), job(2, 21, "order")];
    const actions = schedule(snapshot({ playhead: 5, jobs, orders: [{ kind: "frames", range }] }));
    expect(of(actions, "cancel")).toEqual([{ kind: "cancel", job: 1 }]);
    const held = schedule(snapshot({ held: [0], jobs, orders: [{ kind: "frames", range }] }));
    expect(of(held, "cancel")).toEqual([]);
  });

  test("rests while playing, or goes on when all that is to be shown is there", () => {
    const jobs = [job(1, 50, "order")];
    const playing = {
      mode: "playing" as const,
      clock,
      jobs,
      range,
      held: all(100),
      orders: [{ kind: "frames" as const, range: { in: 50, out: 60 } }],
    };
    expect(of(schedule(snapshot(playing)), "cancel")).toEqual([{ kind: "cancel", job: 1 }]);
    const kept = snapshot({ ...playing, held: all(40), fillsWhilePlaying: true });
    expect(of(schedule(kept), "cancel")).toEqual([]);
    expect(renders(schedule(kept))).toEqual([["order", 51, undefined]]);
    const busy = snapshot({ ...playing, held: [], fillsWhilePlaying: true });
    expect(of(schedule(busy), "cancel")).toEqual([{ kind: "cancel", job: 1 }]);
  });

  test("a bake waits where orders wait, and a trial is left to end", () => {
    const jobs = [
      { id: 1, kind: "trial" },
      { id: 2, kind: "bake" },
    ] as const;
    expect(of(schedule(snapshot({ held: [0], jobs })), "cancel")).toEqual([]);
    expect(of(schedule(snapshot({ playhead: 5, jobs })), "cancel")).toEqual([{ kind: "cancel", job: 2 }]);
    const playing = { mode: "playing" as const, clock, jobs, held: all(100) };
    expect(of(schedule(snapshot(playing)), "cancel")).toEqual([{ kind: "cancel", job: 2 }]);
    expect(of(schedule(snapshot({ ...playing, fillsWhilePlaying: true })), "cancel")).toEqual([]);
    expect(of(schedule(snapshot({ ...playing, held: [], fillsWhilePlaying: true })), "cancel")).toEqual([
      { kind: "cancel", job: 2 },
    ]);
  });

  test("a layer's pixels are filled from the playhead on, leaving out what is held", () => {
    const layer = snapshot({
      held: [0],
      playhead: 0,
      orders: [{ kind: "layer", layer: "title", range: { in: 0, out: 5 } }],
      layersFilled: new Map([["title", Uint8Array.of(1, 1, 0, 0, 0)]]),
    });
    expect(renders(schedule(layer))).toEqual([
      ["order", 2, "title"],
      ["order", 3, "title"],
    ]);
  });
});

test("marked layers come after the in–out range and before the rest; alone, nothing else is filled", () => {
  const base = {
    held: [0],
    mode: "filling" as const,
    renderSlots: 100,
    window: { before: 0, after: 1 },
    marked: ["title"],
  };
  const targets = (change: Partial<Snapshot>) =>
    of(schedule(snapshot({ ...base, duration: 6, range: { in: 2, out: 4 }, ...change })), "render").map(
      ({ frame, layer }) => (layer ? `${layer} ${frame}` : String(frame)),
    );
  const layers = ["title 0", "title 1", "title 2", "title 3", "title 4", "title 5"];
  expect(targets({})).toEqual(["1", "2", "3", ...layers, "4", "5"]);
  expect(targets({ idleFills: "marked" })).toEqual(layers);
});

test("scrubbing asks for the smaller picture where one is wanted, shows it once, and keeps to the newest position", () => {
  const scrubbing = (change: Parameters<typeof snapshot>[0]) =>
    schedule(snapshot({ mode: "scrubbing", playhead: 7, ...change }));
  expect(scrubbing({ scrub: "wanted" })).toEqual([{ kind: "render", frame: 7, purpose: "scrub", keep: "memory" }]);
  expect(scrubbing({ scrub: "held" })).toEqual([{ kind: "showScrub", frame: 7 }]);
  expect(scrubbing({ scrub: "shown" })).toEqual([]);
  expect(scrubbing({ scrub: "wanted", held: [7] })).toEqual([{ kind: "show", frame: 7, step: 0 }]);
  expect(scrubbing({ scrub: "wanted", jobs: [job(1, 3, "scrub")] })).toContainEqual({ kind: "cancel", job: 1 });
  // It is under way, and there is another worker.
  expect(scrubbing({ scrub: "wanted", renderSlots: 2, jobs: [job(1, 7, "scrub")] })).toEqual([]);
});

test("a range of one frame is prepared and shown too, where every frame is to be shown", () => {
  const playing = { ...clock, pacing: "show every frame" as const, loop: false };
  const before = snapshot({ mode: "playing", clock: playing, range: { in: 0, out: 1 }, nowMs: 1000, shownStep: -1 });
  expect(schedule(before)).toEqual([{ kind: "render", frame: 0, purpose: "play", keep: "memory" }]);
  const ready = snapshot({
    mode: "playing",
    clock: playing,
    range: { in: 0, out: 1 },
    nowMs: 1000,
    shownStep: -1,
    held: [0],
  });
  expect(schedule(ready)).toContainEqual({ kind: "show", frame: 0, step: 0 });
});
