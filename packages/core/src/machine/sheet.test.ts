import fc from "fast-check";
import { driftSince, type MachineSheet } from "./sheet";
import { parseSheet, parseSheetText, SheetError } from "./sheetSchema";

const GIB = 2 ** 30;

const sheet = (change: Partial<MachineSheet> = {}): MachineSheet => ({
  format: "kinetocache-machine",
  version: 1,
  name: "Suite 2",
  savedAtMs: 1_790_000_000_000,
  hardware: {
    installedBytes: 64 * GIB,
    cores: 16,
    processor: "Made-up 9000",
    system: "Made-up OS 12",
    graphics: [
      { name: "Integrated", driver: "4.1" },
      { name: "Dedicated", memoryBytes: 8 * GIB, driver: "31.2" },
    ],
  },
  settings: { parallel: 8, memoryBudgetBytes: 20 * GIB, sharpenWhenParked: true },
  ...change,
});

test("a sheet is read as it was written", () => {
  expect(parseSheetText(JSON.stringify(sheet()))).toEqual(sheet());
});

test.each([
  [
    "hardware.installedBytes: must be greater than or equal to",
    { hardware: { ...sheet().hardware, installedBytes: -1 } },
  ],
  ["hardware.cores: must be less than or equal to 1024", { hardware: { ...sheet().hardware, cores: 10_000 } }],
  ["hostLimitBytes: must be greater", { hostLimitBytes: 12 }],
  ["format: this is no machine sheet", { format: "other" }],
  ["version: the sheet is of version 2, this application reads up to 1", { version: 2 }],
  ["settings.parallel: must be one of", { settings: { parallel: [] } }],
] as const)("what is absurd or unknown is refused: %s", (message, change) => {
  expect(() => parseSheet({ ...sheet(), ...change })).toThrow(message);
});

test("whatever a damaged file holds, the answer is a sheet or a SheetError", () => {
  const text = JSON.stringify(sheet());
  const damaged = fc.tuple(fc.nat(text.length), fc.nat(12), fc.string({ maxLength: 4 }));
  fc.assert(
    fc.property(damaged, ([at, cut, put]) => {
      try {
        parseSheetText(text.slice(0, at) + put + text.slice(at + cut));
      } catch (error) {
        expect(error).toBeInstanceOf(SheetError);
      }
    }),
  );
});

test("nothing drifts by itself", () => {
  expect(driftSince(sheet(), sheet({ savedAtMs: 1, name: "later" }))).toEqual([]);
});

test("less memory, a device that is gone, a new driver and a reset setting are each told", () => {
  const { hardware, settings } = sheet();
  const graphics = [{ name: "Integrated", driver: "4.2" }];
  const now = sheet({
    hardware: { ...hardware, installedBytes: 32 * GIB, graphics },
    settings: { ...settings, parallel: 1 },
    hostLimitBytes: 4 * GIB,
  });
  expect(driftSince(sheet(), now)).toEqual([
    { kind: "hardware", what: "installedBytes", saved: 64 * GIB, now: 32 * GIB },
    { kind: "driver", what: "Integrated", saved: "4.1", now: "4.2" },
    { kind: "hardware", what: "graphics: Dedicated", saved: "present", now: undefined },
    { kind: "setting", what: "parallel", saved: 8, now: 1 },
    { kind: "setting", what: "hostLimitBytes", saved: undefined, now: 4 * GIB },
  ]);
});
