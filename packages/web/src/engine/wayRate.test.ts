import { WayRate } from "./wayRate";

test("the way carries what the fastest transfer had, for as long as that is recent", () => {
  const way = new WayRate();
  expect(way.perSecond).toBeUndefined();
  way.note(1000, 10);
  expect(way.perSecond).toBe(100_000);
  way.note(1000, 100);
  expect(way.perSecond).toBe(98_000);
  for (let n = 0; n < 200; n++) way.note(1000, 100);
  expect(way.perSecond).toBe(10_000);
  way.note(4000, 10);
  expect(way.perSecond).toBe(400_000);
});

test("a transfer that took no time is no reason for a rate without end", () => {
  const way = new WayRate();
  way.note(1000, 0);
  expect(Number.isFinite(way.perSecond)).toBe(true);
});
