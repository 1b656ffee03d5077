import fc from "fast-check";
import { timecode } from "./rate";
import { NAMED_RATES, parseLength, parseRate, rateName, rateNear } from "./typed";

const PAL = { numerator: 25, denominator: 1 };

test("a rate is known by its name, and exactly by what is typed", () => {
  expect(parseRate("23.976")).toEqual({ numerator: 24_000, denominator: 1001 });
  expect(parseRate(" 30000 / 1001 ")).toEqual({ numerator: 30_000, denominator: 1001 });
  expect(parseRate("12")).toEqual({ numerator: 12, denominator: 1 });
  for (const wrong of ["", "0", "241", "24.5", "1/0", "1/2", "constructor", "24 fps", "-24", "99999999/1"])
    expect([wrong, parseRate(wrong)]).toEqual([wrong, undefined]);
});

test("a rate is shown by its name, and others to three decimals", () => {
  for (const [name, rate] of Object.entries(NAMED_RATES)) {
    expect(rateName(rate)).toBe(name);
    expect(rateName({ numerator: 2 * rate.numerator, denominator: 2 * rate.denominator })).toBe(name);
  }
  expect(rateName({ numerator: 50_000, denominator: 1001 })).toBe("49.95");
});

test("a measured rate is the named one that is meant, a whole one, or itself to three decimals", () => {
  for (const rate of Object.values(NAMED_RATES)) {
    const speed = rate.numerator / rate.denominator;
    for (const error of [-1e-4, 0, 1e-4]) expect(rateNear(speed * (1 + error))).toEqual(rate);
  }
  expect(rateNear(12.0001)).toEqual({ numerator: 12, denominator: 1 });
  expect(rateNear(14.985)).toEqual({ numerator: 14_985, denominator: 1000 });
  for (const wrong of [0, 0.5, 241, NaN, Infinity]) expect(rateNear(wrong)).toBeUndefined();
});

test("a length is timecode, frames or time", () => {
  expect(parseLength("00:00:10:00", PAL)).toBe(250);
  expect(parseLength("1:12", PAL)).toBe(37);
  expect(parseLength("240", PAL)).toBe(240);
  expect(parseLength("240 frames", PAL)).toBe(240);
  expect(parseLength("2.5 s", PAL)).toBe(63);
  expect(parseLength("1 min", NAMED_RATES["29.97"]!)).toBe(1798);
  for (const wrong of [
    "",
    "0",
    "0 s",
    "1:25",
    "60:00",
    "1.5",
    "1.5 frames",
    "ten",
    "1:2:3:4:5",
    "10 h",
    "-5",
    "10 constructor",
    "9".repeat(400),
  ])
    expect([wrong, parseLength(wrong, PAL)]).toEqual([wrong, undefined]);
});

test("what is written as timecode is read as the same number of frames, at every named rate", () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...Object.values(NAMED_RATES)),
      fc.integer({ min: 1, max: 999_999 }),
      (rate, frames) => {
        expect(parseLength(timecode(frames, rate), rate)).toBe(frames);
      },
    ),
  );
});
