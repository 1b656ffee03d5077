import fc from "fast-check";
import { valueAt, type Ease, type Keyframe } from "./animation";

const keyframes = fc.uniqueArray(fc.integer({ min: -100, max: 500 }), { minLength: 1, maxLength: 6 }).chain((frames) =>
  fc.tuple(
    ...[...frames]
      .sort((a, b) => a - b)
      .map((frame) =>
        fc.record({
          frame: fc.constant(frame),
          value: fc.integer({ min: -1000, max: 1000 }),
          ease: fc.constantFrom<Ease>("linear", "smooth", "hold"),
        }),
      ),
  ),
) as fc.Arbitrary<Keyframe[]>;

test("a keyframe's own frame has its value, before the first and after the last nothing moves", () => {
  fc.assert(
    fc.property(keyframes, (keys) => {
      for (const { frame, value } of keys) expect(valueAt({ keyframes: keys }, frame)).toBe(value);
      expect(valueAt({ keyframes: keys }, keys[0]!.frame - 10)).toBe(keys[0]!.value);
      expect(valueAt({ keyframes: keys }, keys.at(-1)!.frame + 10)).toBe(keys.at(-1)!.value);
    }),
  );
});

test("between two keyframes the value never leaves what lies between them", () => {
  fc.assert(
    fc.property(keyframes, fc.integer({ min: -100, max: 500 }), (keys, frame) => {
      const from = keys.findLast((key) => key.frame <= frame) ?? keys[0]!;
      const to = keys.find((key) => key.frame > frame) ?? keys.at(-1)!;
      const value = valueAt({ keyframes: keys }, frame);
      expect(value).toBeGreaterThanOrEqual(Math.min(from.value, to.value) - 1e-9);
      expect(value).toBeLessThanOrEqual(Math.max(from.value, to.value) + 1e-9);
    }),
  );
});

test("linear is halfway at half time, hold stays, smooth starts slower than linear", () => {
  const between = (ease: Ease, frame: number) =>
    valueAt(
      {
        keyframes: [
          { frame: 0, value: 0, ease },
          { frame: 10, value: 100, ease: "linear" },
        ],
      },
      frame,
    );
  expect(between("linear", 5)).toBe(50);
  expect(between("hold", 9)).toBe(0);
  expect(between("smooth", 2)).toBeLessThan(20);
});
