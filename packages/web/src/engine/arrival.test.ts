import fc from "fast-check";
import { renderMs } from "@kinetocache/core";
import { Arrival } from "./arrival";

const settled = (took: (n: number) => number, cost: number): Arrival => {
  const arrival = new Arrival();
  for (let n = 0; n < 200; n++) arrival.note(took(n), cost);
  return arrival;
};

const expectedMs = (arrival: Arrival, cost: number) => renderMs(arrival.pace(Float32Array.of(cost)), 0);

test("frames that arrive as their cost says are expected so", () => {
  expect(
    expectedMs(
      settled(() => 50, 50),
      80,
    ),
  ).toBe(80);
});

test("when every frame takes longer by a factor, others are expected to take longer by that factor", () => {
  fc.assert(
    fc.property(fc.integer({ min: 10, max: 190 }), fc.integer({ min: 1, max: 500 }), (tenths, cost) => {
      expect(
        expectedMs(
          settled(() => (cost * tenths) / 10, cost),
          100,
        ),
      ).toBeCloseTo(Math.max(100, tenths * 10), 3);
    }),
  );
});

test("frames that arrive sooner than their cost says never make others look cheaper than they are", () => {
  expect(
    expectedMs(
      settled(() => 10, 50),
      80,
    ),
  ).toBe(80);
});

test("among fast and slow ones, the slow ones are expected: most frames come in time", () => {
  const expected = expectedMs(
    settled((n) => (n % 2 ? 150 : 50), 50),
    50,
  );
  expect(expected).toBeGreaterThan(110);
  expect(expected).toBeLessThan(150);
});

test("a frame of which nothing is known is expected when frames arrive at present", () => {
  expect(expectedMs(new Arrival(), 0)).toBe(0);
  const arrival = settled(() => 120, 0);
  expect(expectedMs(arrival, 0)).toBeCloseTo(120);
  expect(expectedMs(arrival, 40)).toBe(40);
});

test("one that stalled for minutes does not push the others out of the window for good", () => {
  const arrival = settled(() => 50, 50);
  arrival.note(600_000, 50);
  expect(expectedMs(arrival, 50)).toBeLessThan(500);
  for (let n = 0; n < 40; n++) arrival.note(50, 50);
  expect(expectedMs(arrival, 50)).toBeLessThan(60);
});
