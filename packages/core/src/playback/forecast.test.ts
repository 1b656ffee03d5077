import fc from "fast-check";
import { IN_MEMORY, ON_DISK } from "../cache";
import { forecastTake, type TakeConditions } from "./forecast";
import { isRealTime, type TakeSummary } from "./take";

const FRAMES = 60;

/** @param renderMs what each frame takes, or all of them */
function forecast({
  renderMs = 30,
  ...change
}: Partial<TakeConditions> & { renderMs?: number | readonly number[] } = {}): TakeSummary {
  const duration = change.residency?.length ?? FRAMES;
  const costs = typeof renderMs === "number" ? new Float32Array(duration).fill(renderMs) : Float32Array.from(renderMs);
  const rendering = { costs, slowdown: 1, unknownMs: 0 };
  const playing = forecastTake({
    range: { in: 0, out: duration },
    duration,
    budgetMs: 40,
    residency: new Uint8Array(duration),
    renderSlots: 2,
    fetchSlots: 4,
    rendering,
    slowdowns: [],
    fetchMs: 20,
    window: { before: 24, after: 96 },
    memoryFits: duration,
    failed: new Set(),
    pacing: "keep time",
    ...change,
  });
  for (;;) {
    const step = playing.next();
    if (step.done) return step.value;
  }
}

const held = (tier: number, isHeld: (frame: number) => boolean = () => true) =>
  Uint8Array.from({ length: FRAMES }, (_, frame) => (isHeld(frame) ? tier : 0));

test("what is all held plays in real time, whatever rendering takes", () => {
  expect(forecast({ residency: held(IN_MEMORY), renderMs: 5000 })).toMatchObject({ onTimeShare: 1, skipped: 0 });
});

test("a renderer quick enough for all frames but the first is in real time to the hundredth", () => {
  expect(forecast({ residency: held(IN_MEMORY, (frame) => frame < 5) })).toMatchObject({ onTimeShare: 1, skipped: 0 });
});

test("two workers at four budgets a frame show about every second one", () => {
  const { onTimeShare, skipped } = forecast({ renderMs: 160 });
  expect(onTimeShare).toBeLessThan(0.6);
  expect(skipped).toBeGreaterThan(20);
});

test("frames on disk play in real time where they arrive quickly enough, and not otherwise", () => {
  const residency = held(ON_DISK);
  const quick = forecast({ residency, renderMs: 500, fetchMs: 30 });
  expect(isRealTime(quick)).toBe(true);
  expect(quick.hits.disk).toBe(FRAMES);
  expect(isRealTime(forecast({ residency, renderMs: 500, fetchMs: 400 }))).toBe(false);
});

test("frames that take unevenly long are late where even ones would not be", () => {
  const even = forecast({ renderMs: 110, slowdowns: [1] });
  const uneven = forecast({ renderMs: 110, slowdowns: [0.5, 1.7, 0.6, 0.6, 1.6] });
  expect(uneven.onTimeShare).toBeLessThan(even.onTimeShare - 0.05);
});

test("where every frame is shown, none is skipped, and the take grows longer", () => {
  const { skipped, late, reachedRate } = forecast({ pacing: "show every frame", renderMs: 160 });
  expect(skipped).toBe(0);
  expect(late).toBeGreaterThan(0);
  expect(reachedRate).toBeGreaterThan(11);
  expect(reachedRate).toBeLessThan(14);
});

test("it ends, with each frame shown or skipped once, whatever is held and whatever fails", () => {
  fc.assert(
    fc.property(
      fc.array(fc.record({ tiers: fc.integer({ min: 0, max: 3 }), ms: fc.nat(400), fails: fc.boolean() }), {
        minLength: 1,
        maxLength: 40,
      }),
      fc.constantFrom("keep time" as const, "show every frame" as const),
      fc.integer({ min: 1, max: 4 }),
      (all, pacing, renderSlots) => {
        const summary = forecast({
          residency: Uint8Array.from(all, ({ tiers }) => tiers),
          failed: new Set(all.flatMap(({ fails }, frame) => (fails ? [frame] : []))),
          renderMs: all.map(({ ms }) => ms),
          pacing,
          renderSlots,
        });
        expect(summary.frames).toBe(all.length);
      },
    ),
  );
});

test("what is held more never plays worse, where all frames cost the same", () => {
  fc.assert(
    fc.property(fc.array(fc.boolean(), { minLength: 30, maxLength: 30 }), fc.nat(29), (holds, more) => {
      const residency = Uint8Array.from(holds, (isHeld) => (isHeld ? IN_MEMORY : 0));
      const before = forecast({ residency, renderMs: 130 });
      residency[more] = IN_MEMORY;
      const after = forecast({ residency, renderMs: 130 });
      expect(after.hits.skipped).toBeLessThanOrEqual(before.hits.skipped + 2);
    }),
  );
});
