import { agoText, bytesText, durationText, msText, percentText, rateText, secondsText } from "./format";

test("a length of preview is told to a tenth of a second, a long one in minutes", () => {
  expect(secondsText(5.44)).toBe("5.4 s");
  expect(secondsText(599.94)).toBe("599.9 s");
  expect(secondsText(2758.9)).toBe("46 min");
});

test("bytes keep three figures at most, 1 GB being 2³⁰", () => {
  expect([0, 999, 2 ** 20, 2_073_600, 2 ** 30, 20 * 2 ** 30, 300 * 2 ** 30].map(bytesText)).toEqual([
    "0 B",
    "999 B",
    "1.00 MB",
    "1.98 MB",
    "1.00 GB",
    "20.0 GB",
    "300 GB",
  ]);
});

test("durations are said as a person would", () => {
  expect([40, 1500, 61_000, 14 * 60_000, 3 * 3_600_000, 7 * 86_400_000].map(durationText)).toEqual([
    "40 ms",
    "1.5 s",
    "61 s",
    "14 min",
    "3 h",
    "7 days",
  ]);
  expect([41.66, 108.4].map(msText)).toEqual(["41.7 ms", "108 ms"]);
});

test("almost all never reads as all", () => {
  expect([0, 0.376, 0.9958, 1].map(percentText)).toEqual(["0 %", "38 %", "99.6 %", "100 %"]);
});

test("rates and ages", () => {
  expect([24, 29.97, 8.14, 13.4, 23.98].map(rateText)).toEqual(["24", "29.97", "8.1", "13.4", "23.98"]);
  const now = 1e12;
  expect([5_000, 600_000, 3 * 3_600_000, 23 * 86_400_000].map((ms) => agoText(now - ms, now))).toEqual([
    "just now",
    "10 minutes ago",
    "3 hours ago",
    "23 days ago",
  ]);
});
