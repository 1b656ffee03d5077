import fc from "fast-check";
import { graphicsVerdict, RENDER_DEVICES, type DeviceTrial } from "./graphics";

const trial = (device: DeviceTrial["device"], rate: number): DeviceTrial => ({
  device,
  rate,
  frames: 12,
  nodes: [],
  nodesTimed: true,
});

test("the faster device wins, with both numbers", () => {
  expect(graphicsVerdict([trial("processor", 12), trial("high-performance", 40), trial("low-power", 18)])).toEqual({
    best: "high-performance",
    bestRate: 40,
    next: { device: "low-power", rate: 18 },
    close: false,
  });
});

test("within the noise of a measurement the processor is preferred", () => {
  expect(graphicsVerdict([trial("processor", 19), trial("low-power", 20)])).toMatchObject({
    best: "processor",
    bestRate: 19,
    next: { device: "low-power", rate: 20 },
    close: true,
  });
});

test("a device that failed is no candidate", () => {
  const failed = { device: "high-performance" as const, failure: "The graphics device was lost" };
  expect(graphicsVerdict([trial("processor", 3), failed])).toEqual({ best: "processor", bestRate: 3, close: false });
  expect(graphicsVerdict([failed])).toBeUndefined();
});

test("the best is never slower than another by more than the noise", () => {
  const results = fc.uniqueArray(
    fc.record({ device: fc.constantFrom(...RENDER_DEVICES), rate: fc.double({ min: 0.1, max: 200, noNaN: true }) }),
    { selector: ({ device }) => device, minLength: 1 },
  );
  fc.assert(
    fc.property(results, (rates) => {
      const verdict = graphicsVerdict(rates.map(({ device, rate }) => trial(device, rate)))!;
      expect(verdict.bestRate).toBeGreaterThanOrEqual(0.9 * Math.max(...rates.map(({ rate }) => rate)) - 1e-9);
      expect(verdict.next?.device).not.toBe(verdict.best);
    }),
  );
});
