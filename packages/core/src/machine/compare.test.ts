import { uncachedRate } from "./compare";

const rate = { numerator: 24, denominator: 1 };

test("frames of 100 ms give 10 a second each, twice that in parallel or at twice the speed, and never more than the rate", () => {
  const one = { meanMs: 100, speed: 1, parallel: 1, cores: 8, rate };
  expect(uncachedRate(one)).toBe(10);
  expect(uncachedRate({ ...one, parallel: 2 })).toBe(20);
  expect(uncachedRate({ ...one, speed: 2 })).toBe(20);
  expect(uncachedRate({ ...one, parallel: 8 })).toBe(24);
  expect(uncachedRate({ ...one, parallel: 8, cores: 2 })).toBe(20);
  expect(uncachedRate({ ...one, meanMs: 0 })).toBe(24);
});
