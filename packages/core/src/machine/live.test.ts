import { readFileSync } from "node:fs";
import { memoryUse, simulatedFigures, troublesOf, withAdvice, type LiveFigures } from "./live";
import { PROGRAM_RULES } from "./programs";
import { parseSheetText } from "./sheetSchema";

const GIB = 2 ** 30;
const machine = (id: string) => parseSheetText(readFileSync(`demo/machines/${id}.json`, "utf8"));
const figures = (id: string) => simulatedFigures(machine(id), PROGRAM_RULES);

test.each(["field-laptop", "suite", "tower"])("what is taken of the %s and what is available is all of it", (id) => {
  const live = figures(id);
  const { systemBytes, programsBytes, ownBytes } = memoryUse(live);
  expect(systemBytes + programsBytes + ownBytes + live.machine.availableBytes).toBe(live.machine.installedBytes);
});

test("memory is charged to programs, to this application, and what is left of it to the system", () => {
  const program = (id: string, memoryBytes: number, traits: readonly ("system" | "this application")[] = []) =>
    withAdvice(
      { id, name: id, processes: 1, memoryBytes, memoryMeasured: true, processorShare: 0, traits, isOwn: true },
      PROGRAM_RULES,
      32 * GIB,
    );
  const live: LiveFigures = {
    machine: {
      installedBytes: 32 * GIB,
      availableBytes: 20 * GIB,
      swapUsedBytes: 0,
      cores: 8,
      processor: "p",
      system: "s",
    },
    programs: [
      program("editor", 3 * GIB),
      program("daemon", GIB, ["system"]),
      program("page", 2 * GIB, ["this application"]),
    ],
    conditions: {},
  };
  expect(memoryUse(live)).toEqual({ ownBytes: 2 * GIB, programsBytes: 3 * GIB, systemBytes: 7 * GIB });
  expect(memoryUse({ ...live, programs: undefined }).systemBytes).toBe(12 * GIB);
});

test("a hot laptop on battery with a busy copier has three troubles, a quiet tower has its busy archive", () => {
  expect(troublesOf(figures("field-laptop"))).toEqual([
    "The processor is hot (91 °C) and runs at 58 % of its clock",
    "Running on battery: most machines render slower then",
    "Card copier is busy synchronising or backing up",
  ]);
  expect(troublesOf(figures("tower"))).toEqual(["Archive mirror is busy synchronising or backing up"]);
  expect(troublesOf(figures("suite"))).toEqual(["The system is swapping: memory is given out that is not there"]);
  expect(troublesOf({ conditions: { temperatureCelsius: 95 } })).toEqual([]);
});

test("a real machine is not simulated", () => {
  const { simulation: _simulation, ...real } = machine("tower");
  expect(() => simulatedFigures(real, PROGRAM_RULES)).toThrow('"Tower" describes a real machine');
});
