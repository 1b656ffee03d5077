import fc from "fast-check";
import { nextSteps, type StepStanding } from "./nextSteps";

/** Ten seconds of frames of 120 ms on two cores; a quarter fits into memory, all of it could. */
const standing = (change: Partial<StepStanding> = {}): StepStanding => ({
  rate: { numerator: 24, denominator: 1 },
  rangeFrames: 240,
  heldFrames: 60,
  fitFrames: 60,
  mostFrames: 5000,
  wantedBytes: 500_000_000,
  meanMs: 120,
  parallel: 2,
  cores: 2,
  smallerShare: 4 / 9,
  fills: true,
  isMeasured: true,
  isRealTime: false,
  ...change,
});
const kinds = (change: Partial<StepStanding> = {}) => nextSteps(standing(change)).map(({ kind }) => kind);

test("what is not measured is measured first, and what is in real time needs nothing", () => {
  expect(kinds({ isMeasured: false })[0]).toBe("measure");
  expect(kinds({ isRealTime: true })).toEqual([]);
});

test("memory that would hold the range comes before giving up size or speed", () => {
  expect(nextSteps(standing())).toEqual([{ kind: "memory", bytes: 500_000_000, frames: 240 }]);
});

test("what fits and is not held yet is filled, in the time that it is known to take", () => {
  const steps = nextSteps(standing({ fitFrames: 300, fillMs: 10_800 }));
  expect(steps).toEqual([{ kind: "fill", ms: 10_800, frames: 240, isOff: false }]);
  expect(nextSteps(standing({ fitFrames: 300 }))[0]).toMatchObject({ kind: "fill", ms: undefined });
  expect(nextSteps(standing({ fitFrames: 300, fills: false }))[0]).toMatchObject({ isOff: true });
});

test("where memory can never hold it, more frames in parallel and a smaller preview are what is left", () => {
  const steps = nextSteps(standing({ mostFrames: 60, parallel: 1, cores: 4 }));
  expect(steps.map(({ kind }) => kind)).toEqual(["parallel", "size"]);
  expect(steps[0]).toMatchObject({ parallel: 4, rate: 24 });
  // 120 ms on 4/9 of the pixels are 53.3 ms.
  expect((steps[1] as { rate: number }).rate).toBeCloseTo(18.75);
  expect(kinds({ mostFrames: 60, smallerShare: undefined })).toEqual([]);
});

test("a device that was measured to be faster is used before anything is waited for", () => {
  const faster = { device: "high-performance" as const, rate: 40, presentRate: 12 };
  expect(nextSteps(standing({ fitFrames: 300, faster }))[0]).toEqual({ kind: "device", ...faster });
  expect(kinds({ isRealTime: true, faster })).toEqual([]);
});

test("never more than three, and no step that gives nothing", () => {
  const any = fc.record({
    rangeFrames: fc.integer({ min: 1, max: 500 }),
    heldFrames: fc.nat(500),
    fitFrames: fc.nat(500),
    mostFrames: fc.nat(500),
    meanMs: fc.double({ min: 0.1, max: 500, noNaN: true }),
    parallel: fc.integer({ min: 1, max: 16 }),
    cores: fc.integer({ min: 1, max: 16 }),
    isMeasured: fc.boolean(),
  });
  fc.assert(
    fc.property(any, (change) => {
      const steps = nextSteps(standing(change));
      expect(steps.length).toBeLessThanOrEqual(3);
      for (const step of steps) {
        if (step.kind === "fill") expect(step.frames).toBeGreaterThan(change.heldFrames);
        if (step.kind === "memory") expect(step.frames).toBeGreaterThan(change.fitFrames);
        if (step.kind === "parallel") expect(step.parallel).toBeGreaterThan(change.parallel);
      }
    }),
  );
});
