import fc from "fast-check";
import { turned } from "./turned";

const picture = (width: number, height: number) => ({
  width,
  height,
  data: Uint8Array.from({ length: width * height * 4 }, (_, at) => (at * 37) & 255),
});

test("a picture turned clockwise has its first pixel where a turn puts it", () => {
  const { width, height, data } = turned(picture(3, 2), 90);
  expect([width, height]).toEqual([2, 3]);
  // The upper left corner is at the upper right.
  expect(data.slice(4, 8)).toEqual(picture(3, 2).data.slice(0, 4));
});

test("turns add up: four quarters, or a half twice, give the picture again, and three are one back", () => {
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 9 }), fc.integer({ min: 1, max: 9 }), (width, height) => {
      const start = picture(width, height);
      const quarter = (of: ReturnType<typeof turned>) => turned(of, 90);
      expect(quarter(quarter(quarter(quarter(start))))).toEqual(start);
      expect(quarter(quarter(start))).toEqual(turned(start, 180));
      expect(quarter(quarter(quarter(start)))).toEqual(turned(start, 270));
    }),
  );
});
