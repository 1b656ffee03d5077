import { readFileSync } from "node:fs";
import { memoryUse, simulatedFigures } from "./live";
import { PROGRAM_RULES } from "./programs";
import { parseSheet, parseSheetText } from "./sheetSchema";
import { asSimulated, changedMachine } from "./whatIf";

const GIB = 2 ** 30;
const tower = parseSheetText(readFileSync("demo/machines/tower.json", "utf8"));
const change = { name: "Tower, 128 GB", installedBytes: 128 * GIB, cores: 32, speed: 3 };

test("with twice the memory, all of the addition is free: nobody else takes more", () => {
  const more = changedMachine(tower, change, 5);
  expect(parseSheet(more)).toEqual(more);
  expect(more).toMatchObject({ name: "Tower, 128 GB", savedAtMs: 5, simulation: { speed: 3 } });
  const free = (sheet: typeof tower) => simulatedFigures(sheet, PROGRAM_RULES).machine.availableBytes;
  expect(free(more) - free(tower)).toBe(64 * GIB);
});

test("a host limit comes and goes with the change", () => {
  const limited = changedMachine(tower, { ...change, hostLimitBytes: 4 * GIB }, 5);
  expect(limited.hostLimitBytes).toBe(4 * GIB);
  expect(changedMachine(limited, change, 6)).not.toHaveProperty("hostLimitBytes");
});

test("this machine as a simulated one has the same memory taken by the same programs", () => {
  const figures = simulatedFigures(tower, PROGRAM_RULES);
  const copy = asSimulated(figures, tower.hardware, { parallel: 2 }, 7);
  expect(parseSheet(copy)).toEqual(copy);
  const again = simulatedFigures(copy, PROGRAM_RULES);
  expect(memoryUse(again)).toEqual(memoryUse(figures));
  expect(again.machine.availableBytes).toBe(figures.machine.availableBytes);
});
