import { Rate } from "./rate";

test("idle time between transfers does not count", () => {
  const rate = new Rate();
  expect(rate.perSecond).toBeUndefined();
  rate.begin(0);
  rate.end(1000, 100);
  rate.begin(5000);
  rate.end(1000, 5100);
  expect(rate.perSecond).toBeCloseTo(10_000);
});

test("transfers side by side share the time that they take together", () => {
  const rate = new Rate();
  rate.begin(0);
  rate.begin(0);
  rate.end(1000, 100);
  rate.end(1000, 100);
  expect(rate.perSecond).toBeCloseTo(20_000);
});

test("a failed transfer takes time and brings nothing; what was long ago fades", () => {
  const rate = new Rate();
  rate.begin(0);
  rate.end(1000, 100);
  const before = rate.perSecond!;
  rate.begin(200);
  rate.end(0, 300);
  expect(rate.perSecond).toBeLessThan(before);
  for (let n = 1; n < 60; n++) {
    rate.begin(n * 1000);
    rate.end(5000, n * 1000 + 100);
  }
  expect(rate.perSecond! / 50_000).toBeCloseTo(1, 1);
});
