import fc from "fast-check";
import { IN_MEMORY, ON_DISK, Timeline } from "./timeline";

const letters = fc.array(fc.constantFrom("a", "b", "c", "d", "e"), { minLength: 1, maxLength: 40 });

function timelineOf(keys: readonly string[], order = keys.map((_, frame) => frame)): Timeline {
  const timeline = new Timeline(keys.length);
  for (const frame of order) timeline.setKey(frame, keys[frame]!, 0);
  return timeline;
}

test("next use is what counting frame by frame finds, in both directions", () => {
  fc.assert(
    fc.property(letters, fc.nat(), fc.nat(), fc.nat(), fc.constantFrom<1 | -1>(1, -1), (keys, p, a, b, direction) => {
      const timeline = timelineOf(keys);
      const start = a % keys.length;
      const range = { in: start, out: start + 1 + (b % (keys.length - start)) };
      const length = range.out - range.in;
      const playhead = range.in + (p % length);
      for (const key of "abcdez") {
        let expected = Infinity;
        for (let step = length - 1; step >= 0; step--) {
          const frame = range.in + ((playhead - range.in + step * direction + length) % length);
          if (keys[frame] === key) expected = step;
        }
        expect(timeline.nextUse(key, playhead, range, direction)).toBe(expected);
      }
    }),
  );
});

test("distance is to the nearest showing, and membership of a range is exact", () => {
  fc.assert(
    fc.property(letters, fc.nat(), fc.nat(), (keys, p, a) => {
      const timeline = timelineOf(keys);
      const playhead = p % keys.length;
      const range = { in: a % keys.length, out: keys.length };
      for (const key of "abcde") {
        const distances = keys.flatMap((one, frame) => (one === key ? [Math.abs(frame - playhead)] : []));
        expect(timeline.distance(key, playhead)).toBe(distances.length > 0 ? Math.min(...distances) : undefined);
        expect(timeline.isIn(key, range)).toBe(keys.slice(range.in).some((one) => one === key));
      }
    }),
  );
});

test("a key that many frames share is marked for all of them, each tier by itself, in whatever order keys came", () => {
  fc.assert(
    fc.property(letters, (keys) => {
      const timeline = timelineOf(keys, keys.map((_, frame) => frame).reverse());
      timeline.mark("a", IN_MEMORY, true);
      timeline.mark("a", ON_DISK, true);
      timeline.mark("b", ON_DISK, true);
      timeline.mark("a", IN_MEMORY, false);
      timeline.mark("not there", IN_MEMORY, true);
      expect([...timeline.residency]).toEqual(keys.map((key) => (key === "a" || key === "b" ? ON_DISK : 0)));
      expect(timeline.framesOf("a")).toEqual(keys.flatMap((key, frame) => (key === "a" ? [frame] : [])));
    }),
  );
});

test("a frame that is given another key is not among the frames of the one before", () => {
  const timeline = timelineOf(["a", "a", "b"]);
  timeline.setKey(0, "c", IN_MEMORY);
  timeline.setKey(2, "a", ON_DISK);
  expect([timeline.framesOf("a"), timeline.framesOf("b"), timeline.framesOf("c")]).toEqual([[1, 2], [], [0]]);
  expect(timeline.has("b")).toBe(false);
  expect([...timeline.residency]).toEqual([IN_MEMORY, 0, ON_DISK]);
});
