import { memoryUse, type LiveFigures } from "./live";
import type { Bytes } from "./memory";
import { SHEET_FORMAT, SHEET_VERSION, type Hardware, type MachineSheet, type SheetSettings } from "./sheet";

/** What is changed of a machine to see what that would bring. */
export interface MachineChange {
  readonly name: string;
  readonly installedBytes: Bytes;
  readonly cores: number;
  /** Speed of rendering against this machine. */
  readonly speed: number;
  readonly hostLimitBytes?: Bytes;
}

/** A simulated machine like another, but for what is changed. */
export function changedMachine(sheet: MachineSheet, change: MachineChange, savedAtMs: number): MachineSheet {
  const { hostLimitBytes: _limit, ...kept } = sheet;
  const { name, installedBytes, cores, speed, hostLimitBytes } = change;
  const simulation = sheet.simulation ?? { systemBytes: 0, programs: [], conditions: {} };
  return {
    ...kept,
    name,
    savedAtMs,
    hardware: { ...sheet.hardware, installedBytes, cores },
    simulation: { ...simulation, speed },
    ...(hostLimitBytes === undefined ? {} : { hostLimitBytes }),
  };
}

// What the others take counts as the system's.
const MOST_PROGRAMS = 100;

/** This machine as a simulated one: with what its system and programs take at this moment, and in no trouble. */
export function asSimulated(
  figures: LiveFigures,
  hardware: Hardware,
  settings: SheetSettings,
  savedAtMs: number,
): MachineSheet {
  const others = (figures.programs ?? [])
    .filter((program) => program.class !== "this application" && program.class !== "system")
    .sort((a, b) => b.memoryBytes - a.memoryBytes);
  const small = others.slice(MOST_PROGRAMS).reduce((sum, { memoryBytes }) => sum + memoryBytes, 0);
  return {
    format: SHEET_FORMAT,
    version: SHEET_VERSION,
    name: "This machine",
    savedAtMs,
    hardware,
    settings,
    simulation: {
      speed: 1,
      systemBytes: memoryUse(figures).systemBytes + small,
      programs: others.slice(0, MOST_PROGRAMS).map(({ name, memoryBytes, processorShare, traits }) => ({
        name,
        memoryBytes,
        processorShare,
        traits,
      })),
      conditions: {},
    },
  };
}
