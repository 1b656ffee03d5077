import type { DeviceTrial } from "@kinetocache/core";
import type { Adapter } from "../../engine/gpu/adapters";
import { deviceRows, kindText, verdictText, workKinds } from "./graphicsWords";

const adapter = (change: Partial<Adapter>): Adapter => ({
  choices: ["high-performance"],
  name: "Large",
  isSoftware: false,
  hasTimestamps: true,
  mostPictureBytes: 2 ** 30,
  ...change,
});
const small = adapter({ choices: ["low-power"], name: "Small" });
const large = adapter({});
const stand = adapter({ choices: ["software"], name: "Stand-in", isSoftware: true, hasTimestamps: false });

const trial = (device: DeviceTrial["device"], rate: number, nodes: DeviceTrial["nodes"] = []): DeviceTrial => ({
  device,
  rate,
  frames: 12,
  nodes,
  nodesTimed: true,
});

test("every device is a row of its own, the processor first, and a stand-in says what it is", () => {
  expect(deviceRows([small, large, stand]).map(({ device, name, note }) => [device, name, note])).toEqual([
    ["processor", "Processor", ""],
    ["low-power", "Small", "low power"],
    ["high-performance", "Large", "high performance"],
    ["software", "Stand-in", "a software stand-in, run by the processor, times no single effect"],
  ]);
  // One device for both questions needs no remark, and is in use whichever of them was asked.
  const [, only] = deviceRows([adapter({ choices: ["low-power", "high-performance"] })]);
  expect(only).toMatchObject({ note: "", choices: ["low-power", "high-performance"] });
});

test("the verdict names the devices and states both numbers", () => {
  const rows = deviceRows([small, large]);
  const say = (...results: Parameters<typeof verdictText>[0]) => verdictText(results, rows, "Night Roost").sentence;
  expect(say(trial("processor", 12), trial("high-performance", 40))).toBe(
    "Large renders Night Roost fastest: 40 frames a second against 12 on the processor.",
  );
  expect(say(trial("processor", 19.5), trial("low-power", 20))).toBe(
    "The processor and Small render Night Roost about equally fast: 19.5 frames a second against 20.",
  );
  expect(say(trial("processor", 12), { device: "low-power", failure: "lost" })).toBe(
    "The processor renders Night Roost at 12 frames a second; nothing else could.",
  );
  expect(say({ device: "processor", failure: "the artwork is not SVG" })).toBe("No device could render.");
  // A device that was there then and is not now.
  expect(say(trial("software", 9), trial("processor", 3))).toMatch(/^The software stand-in renders/);
});

test("kinds of work are those of all devices, the costliest of the first first, by the names of the catalogue", () => {
  const results = [
    trial("processor", 12, [
      { kind: "glow", ms: 9 },
      { kind: "stack", ms: 2 },
    ]),
    trial("low-power", 5, [{ kind: "svg", ms: 30 }]),
    { device: "software" as const, failure: "lost" },
  ];
  expect(workKinds(results).map(kindText)).toEqual(["Glow", "Compositing", "SVG artwork"]);
});
