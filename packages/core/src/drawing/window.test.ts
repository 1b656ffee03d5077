import fc from "fast-check";
import {
  grow,
  intersect,
  invert,
  isEmpty,
  mapWindow,
  pixelCount,
  scaledSize,
  type Affine,
  type Window,
} from "./window";

const windows: fc.Arbitrary<Window> = fc.record({
  x: fc.integer({ min: -50, max: 50 }),
  y: fc.integer({ min: -50, max: 50 }),
  width: fc.integer({ min: 0, max: 60 }),
  height: fc.integer({ min: 0, max: 60 }),
});
const has = (window: Window, x: number, y: number) =>
  x >= window.x && x < window.x + window.width && y >= window.y && y < window.y + window.height;

test("a pixel is in the intersection exactly when it is in both", () => {
  fc.assert(
    fc.property(
      windows,
      windows,
      fc.integer({ min: -60, max: 120 }),
      fc.integer({ min: -60, max: 120 }),
      (a, b, x, y) => has(intersect(a, b), x, y) === (has(a, x, y) && has(b, x, y)),
    ),
  );
});

test("growing and cutting back is the window again; an empty one counts no pixels", () => {
  fc.assert(
    fc.property(windows, fc.integer({ min: 0, max: 20 }), (window, by) => {
      const cut = intersect(grow(window, by), window);
      return isEmpty(window) ? pixelCount(cut) === 0 : pixelCount(cut) === pixelCount(window);
    }),
  );
});

test("a map and its inverse cancel out, and the mapped window holds every mapped corner", () => {
  const number = (min: number, max: number) => fc.double({ min, max, noNaN: true });
  fc.assert(
    fc.property(
      number(-4, 4),
      number(0.1, 3),
      number(-20, 20),
      number(-20, 20),
      windows,
      (angle, scale, c, f, window) => {
        const [cos, sin] = [Math.cos(angle) * scale, Math.sin(angle) * scale];
        const map: Affine = [cos, -sin, c, sin, cos, f];
        const back = invert(map);
        const [px, py] = [map[0] * 7 + map[1] * 3 + map[2], map[3] * 7 + map[4] * 3 + map[5]];
        expect(back[0] * px + back[1] * py + back[2]).toBeCloseTo(7, 6);
        expect(back[3] * px + back[4] * py + back[5]).toBeCloseTo(3, 6);
        const mapped = mapWindow(window, map);
        const x = map[0] * window.x + map[1] * window.y + map[2];
        expect(x).toBeGreaterThanOrEqual(mapped.x);
        expect(x).toBeLessThanOrEqual(mapped.x + mapped.width);
      },
    ),
  );
  expect(() => invert([1, 2, 0, 2, 4, 0])).toThrow("A flat map has no inverse");
});

test("preview sizes round up: a third of 1080 is 360, of 1920 is 640, a quarter of 1081 is 271", () => {
  expect([scaledSize(1080, 1 / 3), scaledSize(1920, 1 / 3), scaledSize(1081, 1 / 4), scaledSize(1, 1 / 4)]).toEqual([
    360, 640, 271, 1,
  ]);
});
