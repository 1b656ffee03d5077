import fc from "fast-check";
import {
  firstGap,
  frameAtX,
  moveEnd,
  pan,
  rulerFrames,
  wholeView,
  xOfFrame,
  zoomAround,
  type TimelineView,
} from "./timelineView";

const DURATION = 1000;
const WIDTH = 800;
const views: fc.Arbitrary<TimelineView> = fc
  .tuple(fc.double({ min: 0, max: 900, noNaN: true }), fc.double({ min: 8, max: 100, noNaN: true }))
  .map(([start, length]) => ({ start, end: start + length }));

const isValid = ({ start, end }: TimelineView) => start >= -1e-9 && end <= DURATION + 1e-9 && end - start >= 8 - 1e-9;

test("position and frame are inverse to each other", () => {
  fc.assert(
    fc.property(
      views,
      fc.double({ min: 0, max: WIDTH, noNaN: true }),
      (view, x) => Math.abs(xOfFrame(frameAtX(x, view, WIDTH), view, WIDTH) - x) < 1e-6,
    ),
  );
});

test("a ruler's marks are round numbers, evenly apart, with room for what is written, and within the view", () => {
  expect(rulerFrames({ start: 0, end: 240 }, 868)).toEqual([0, 50, 100, 150, 200]);
  expect(rulerFrames({ start: 100, end: 108 }, 800)).toEqual([100, 102, 104, 106]);
  fc.assert(
    fc.property(views, fc.integer({ min: 200, max: 2000 }), (view, width) => {
      const frames = rulerFrames(view, width);
      const [first = 0, second = first] = frames;
      for (const [index, frame] of frames.entries()) {
        expect(frame).toBe(first + index * (second - first));
        expect(frame >= view.start - 1e-9 && frame < view.end).toBe(true);
      }
      if (frames.length > 1)
        expect(xOfFrame(second, view, width) - xOfFrame(first, view, width)).toBeGreaterThanOrEqual(124 - 1e-9);
    }),
  );
});

test("zooming keeps the frame under the pointer where it is, unless an end is reached", () => {
  fc.assert(
    fc.property(
      views,
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.double({ min: 0.2, max: 5, noNaN: true }),
      (view, share, factor) => {
        const frame = view.start + share * (view.end - view.start);
        const zoomed = zoomAround(view, frame, factor, DURATION);
        expect(isValid(zoomed)).toBe(true);
        const free = zoomed.start > 0 && zoomed.end < DURATION;
        if (free) expect(xOfFrame(frame, zoomed, WIDTH)).toBeCloseTo(share * WIDTH, 4);
      },
    ),
  );
});

test("panning keeps the length and stays inside", () => {
  fc.assert(
    fc.property(views, fc.double({ min: -2000, max: 2000, noNaN: true }), (view, frames) => {
      const moved = pan(view, frames, DURATION);
      expect(isValid(moved)).toBe(true);
      expect(moved.end - moved.start).toBeCloseTo(view.end - view.start, 6);
    }),
  );
});

test("a composition shorter than the nearest zoom is shown whole", () => {
  expect(zoomAround(wholeView(3), 1, 0.01, 3)).toEqual({ start: 0, end: 3 });
});

test("an end of the range never passes the other, nor leaves the composition", () => {
  fc.assert(
    fc.property(fc.integer({ min: -50, max: 1100 }), fc.constantFrom<"in" | "out">("in", "out"), (frame, end) => {
      const range = moveEnd({ in: 100, out: 200 }, end, frame, DURATION);
      return range.in >= 0 && range.out <= DURATION && range.out > range.in;
    }),
  );
});

test("a name stands where no mark is, as far left as it can", () => {
  expect(firstGap([], 80, WIDTH)).toBe(0);
  expect(firstGap([100, 30], 80, WIDTH)).toBe(100);
  expect(firstGap([80], 80, WIDTH)).toBe(0);
  expect(firstGap([-5, 20, 60, 100], 80, 150)).toBe(0);
});
