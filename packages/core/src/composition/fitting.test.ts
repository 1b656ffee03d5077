import fc from "fast-check";
import { fitting } from "./fitting";

const size = fc.record({ width: fc.integer({ min: 1, max: 8192 }), height: fc.integer({ min: 1, max: 8192 }) });

test("a picture that is brought in is in the middle, as large as it is, or as large as fits", () => {
  expect(fitting({ width: 1920, height: 1080 }, { width: 1280, height: 720 })).toEqual({ x: 0, y: 0, scale: 2 / 3 });
  expect(fitting({ width: 640, height: 360 }, { width: 1280, height: 720 })).toEqual({ x: 320, y: 180, scale: 1 });
  fc.assert(
    fc.property(size, size, (own, into) => {
      const { x, y, scale } = fitting(own, into) as { x: number; y: number; scale: number };
      expect(scale).toBeLessThanOrEqual(1);
      for (const [at, length, room] of [
        [x, own.width * scale, into.width],
        [y, own.height * scale, into.height],
      ] as const) {
        expect(at).toBeGreaterThanOrEqual(-1e-6);
        expect(at + length).toBeLessThanOrEqual(room + 1e-6);
        expect(at).toBeCloseTo(room - at - length, 6);
      }
      if (scale < 1) expect(Math.min(x, y)).toBeCloseTo(0, 6);
    }),
  );
});
