import { MOST_FRAMES } from "@kinetocache/core";
import fc from "fast-check";
import { dragEdit, draggedRange, snapped, type Grip } from "./barDrag";

const range = { in: 12, out: 168 };
const grips = fc.constantFrom<Grip>("start", "end", "whole");
const anyFrames = fc.integer({ min: -3 * MOST_FRAMES, max: 3 * MOST_FRAMES });

test("however far a bar is dragged, it is never empty, and never further than a composition can reach", () => {
  fc.assert(
    fc.property(grips, anyFrames, (grip, frames) => {
      const to = draggedRange(range, grip, frames);
      expect(to.out).toBeGreaterThan(to.in);
      expect(Math.max(Math.abs(to.in), Math.abs(to.out))).toBeLessThanOrEqual(MOST_FRAMES);
      if (grip === "whole") expect(to.out - to.in).toBe(range.out - range.in);
      if (grip === "start") expect(to.out).toBe(range.out);
      if (grip === "end") expect(to.in).toBe(range.in);
    }),
  );
});

test("an end that is dragged trims, the middle slides, and what ends as it began is no edit", () => {
  const layer = { id: "sky", range };
  expect(dragEdit(layer, "start", { in: 20, out: 168 })).toEqual({
    kind: "layerRange",
    layer: "sky",
    range: { in: 20, out: 168 },
  });
  expect(dragEdit(layer, "whole", { in: 2, out: 158 })).toEqual({ kind: "layerSlid", layer: "sky", in: 2 });
  expect(dragEdit(layer, "whole", range)).toBeUndefined();
});

test("an end that comes near a frame stops there, the nearer one first", () => {
  expect(snapped(range, "start", 7, [20], 2)).toBe(8);
  expect(snapped(range, "start", 5, [20], 2)).toBe(5);
  expect(snapped(range, "end", 70, [240], 3)).toBe(72);
  expect(snapped(range, "whole", 70, [240, 81], 3)).toBe(69);
  expect(snapped(range, "whole", 3.4, [], 3)).toBe(3);
});
