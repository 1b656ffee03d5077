import fc from "fast-check";
import { clampFrame, convertFrame, frameBudgetMs, timecode, wrapFrame } from "./rate";

const rates = fc
  .record({ numerator: fc.integer({ min: 1, max: 240_000 }), denominator: fc.constantFrom(1, 1001, 1000) })
  .filter(({ numerator, denominator }) => numerator / denominator >= 1 && numerator / denominator <= 240);
const frames = fc.integer({ min: 0, max: 1_000_000 });
const ranges = fc
  .tuple(fc.integer({ min: 0, max: 1000 }), fc.integer({ min: 1, max: 1000 }))
  .map(([start, length]) => ({ in: start, out: start + length }));

test("the budget of 24 frames per second is 41.67 ms and that of 30000/1001 is 33.37 ms", () => {
  expect(frameBudgetMs({ numerator: 24, denominator: 1 })).toBeCloseTo(41.6667, 4);
  expect(frameBudgetMs({ numerator: 30000, denominator: 1001 })).toBeCloseTo(33.3667, 4);
});

test("converting to another rate keeps order and never runs ahead in time", () => {
  fc.assert(
    fc.property(frames, rates, rates, (frame, from, to) => {
      const converted = convertFrame(frame, from, to);
      const next = convertFrame(frame + 1, from, to);
      return (
        next >= converted && converted * to.denominator * from.numerator <= frame * from.denominator * to.numerator
      );
    }),
  );
  expect(convertFrame(25, { numerator: 25, denominator: 1 }, { numerator: 24, denominator: 1 })).toBe(24);
});

test("wrapping stays in the range, keeps what is inside, and has the period of the range", () => {
  fc.assert(
    fc.property(fc.integer({ min: -10_000, max: 10_000 }), ranges, (frame, range) => {
      const wrapped = wrapFrame(frame, range);
      expect(wrapped).toBeGreaterThanOrEqual(range.in);
      expect(wrapped).toBeLessThan(range.out);
      expect(wrapFrame(frame + (range.out - range.in), range)).toBe(wrapped);
      if (frame >= range.in && frame < range.out) expect(wrapped).toBe(frame);
    }),
  );
});

test("clamping moves a frame no further than the nearest end", () => {
  fc.assert(
    fc.property(fc.integer({ min: -5000, max: 5000 }), ranges, (frame, range) => {
      const clamped = clampFrame(frame, range);
      return (
        clamped >= range.in &&
        clamped < range.out &&
        (frame < range.in ? clamped === range.in : frame >= range.out ? clamped === range.out - 1 : clamped === frame)
      );
    }),
  );
});

test("timecode counts frames within seconds, minutes and hours", () => {
  const rate = { numerator: 24, denominator: 1 };
  expect(timecode(103, rate)).toBe("00:00:04:07");
  expect(timecode(24 * 3661 + 5, rate)).toBe("01:01:01:05");
  expect(timecode(59, { numerator: 30000, denominator: 1001 })).toBe("00:00:01:29");
});
