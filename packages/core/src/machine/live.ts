import type { Bytes, MachineFigures } from "./memory";
import { adviseOn, classOf, type Advice, type Program, type ProgramClass, type ProgramRule } from "./programs";
import type { Conditions, MachineSheet } from "./sheet";

export interface AdvisedProgram extends Program {
  readonly class: ProgramClass;
  readonly advice: Advice;
}

/** A machine as it is at one moment. */
export interface LiveFigures {
  readonly machine: MachineFigures;
  /** Undefined where the platform does not tell. */
  readonly programs?: readonly AdvisedProgram[];
  readonly conditions: Conditions;
  /** What is wrong with the rule file, when something is. */
  readonly rulesProblem?: string;
}

/** Something that is set to start by itself, and the file where that is set. */
export interface StartupEntry {
  readonly name: string;
  /** Name of the executable without its folder. */
  readonly command: string;
  readonly file: string;
  readonly kind: "session" | "user service" | "system service";
}

export function withAdvice(program: Program, rules: readonly ProgramRule[], installedBytes: Bytes): AdvisedProgram {
  const kind = classOf(program, rules, installedBytes);
  return { ...program, class: kind, advice: adviseOn(program, kind) };
}

/** Who has the memory that is taken: installed = system + other programs + this application + available. */
export interface MemoryUse {
  readonly systemBytes: Bytes;
  readonly programsBytes: Bytes;
  readonly ownBytes: Bytes;
}

/** What no program can be charged with is the system's. */
export function memoryUse({ machine, programs = [] }: LiveFigures): MemoryUse {
  const sum = (which: (program: AdvisedProgram) => boolean) =>
    programs.filter(which).reduce((total, { memoryBytes }) => total + memoryBytes, 0);
  const ownBytes = sum((program) => program.class === "this application");
  const programsBytes = sum((program) => program.class !== "this application" && program.class !== "system");
  const takenBytes = machine.installedBytes - machine.availableBytes;
  return { ownBytes, programsBytes, systemBytes: Math.max(0, takenBytes - ownBytes - programsBytes) };
}

/** A simulated machine as if it were looked at. @throws TypeError for a sheet of a real machine */
export function simulatedFigures(sheet: MachineSheet, rules: readonly ProgramRule[]): LiveFigures {
  const { hardware, simulation } = sheet;
  if (!simulation) throw new TypeError(`"${sheet.name}" describes a real machine`);
  const { installedBytes, cores, processor, system } = hardware;
  const programs = simulation.programs.map((program, index) =>
    withAdvice(
      { ...program, id: `${index} ${program.name}`, processes: 1, memoryMeasured: true, isOwn: true },
      rules,
      installedBytes,
    ),
  );
  const taken = programs.reduce((sum, { memoryBytes }) => sum + memoryBytes, simulation.systemBytes);
  return {
    machine: {
      installedBytes,
      availableBytes: Math.max(0, installedBytes - taken),
      swapUsedBytes: simulation.conditions.swapUsedBytes ?? 0,
      cores,
      processor,
      system,
    },
    programs,
    conditions: simulation.conditions,
  };
}

/** Something that slows playback down now, in words. */
export function troublesOf({ conditions, programs = [] }: Pick<LiveFigures, "conditions" | "programs">): string[] {
  const { swapRate = 0, temperatureCelsius, clockShare, onBattery } = conditions;
  const troubles: string[] = [];
  if (swapRate > 0) troubles.push("The system is swapping: memory is given out that is not there");
  if (temperatureCelsius !== undefined && temperatureCelsius >= HOT && clockShare !== undefined && clockShare < SLOWED)
    troubles.push(
      `The processor is hot (${Math.round(temperatureCelsius)} °C) and runs at ${Math.round(clockShare * 100)} % of its clock`,
    );
  if (onBattery) troubles.push("Running on battery: most machines render slower then");
  for (const program of programs)
    if (program.class === "synchronising or backing up" && program.advice.urgent)
      troubles.push(`${program.name} is busy synchronising or backing up`);
  return troubles;
}

const HOT = 85;
// Below this share of the highest clock a hot processor is being slowed down.
const SLOWED = 0.8;
