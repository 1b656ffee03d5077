import { isWithinNoise, spreadOfTakes } from "./spread";

test("a spread is the mean with the least and the most", () => {
  expect(spreadOfTakes([0.6, 0.9, 0.75])).toEqual({ takes: 3, mean: 0.75, least: 0.6, most: 0.9 });
  expect(() => spreadOfTakes([])).toThrow("at least one take");
});

test("a difference that repeating makes too is noise, a larger one is not, and one take alone does not tell", () => {
  const noisy = spreadOfTakes([0.6, 0.64, 0.62]);
  expect(isWithinNoise(noisy, spreadOfTakes([0.65]))).toBe(true);
  expect(isWithinNoise(noisy, spreadOfTakes([0.7]))).toBe(false);
  expect(isWithinNoise(spreadOfTakes([1, 1, 1]), spreadOfTakes([1]))).toBe(true);
  expect(isWithinNoise(spreadOfTakes([1, 1, 1]), spreadOfTakes([0.99]))).toBe(false);
  expect(isWithinNoise(spreadOfTakes([0.6]), spreadOfTakes([0.9]))).toBeUndefined();
});
