import { readFileSync } from "node:fs";
import fc from "fast-check";
import { bestStated, graphicsVerdict, RENDER_DEVICES, statedDevices, type DeviceTrial } from "./graphics";
import { parseSheetText } from "./sheetSchema";

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

describe("stated speeds of simulated machines", () => {
  const machine = (name: string) => parseSheetText(readFileSync(`demo/machines/${name}.json`, "utf8"));
  const work = { meanMs: 400, parallel: 2, oneBytes: 2 ** 28 };

  test("the device that decodes best is not the one for effects", () => {
    const { effects, decoding } = bestStated(statedDevices(machine("tower"), work));
    expect([effects.name, decoding.name]).toEqual(["Dedicated graphics", "Integrated graphics"]);
    // 400 ms a frame, 32 times as fast.
    expect(effects.rate).toBe(80);
  });

  test("a software stand-in is never the best, nor is a device whose memory is too small", () => {
    const suite = machine("suite");
    expect(bestStated(statedDevices(suite, work)).effects.name).toBe("Dedicated graphics");
    expect(bestStated(statedDevices(suite, { ...work, oneBytes: 2 ** 32 })).effects.name).toBe("Processor");
    const only = {
      ...suite,
      hardware: { ...suite.hardware, graphics: [{ name: "x", software: true, effectSpeed: 99 }] },
    };
    expect(bestStated(statedDevices(only, work)).effects.name).toBe("Processor");
  });

  test("the processor renders several frames at once, as far as it has cores", () => {
    const [processor] = statedDevices(machine("tower"), work);
    // 2.2 times as fast as 400 ms, two at a time.
    expect(processor!.rate).toBeCloseTo((2 * 2.2 * 1000) / 400);
    expect(statedDevices(machine("field-laptop"), work)).toHaveLength(2);
  });
});
