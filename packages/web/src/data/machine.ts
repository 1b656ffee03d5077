import {
  keptFreeBytes,
  PROGRAM_RULES,
  SHEET_FORMAT,
  SHEET_VERSION,
  simulatedFigures,
  type Hardware,
  type LiveFigures,
  type MachineSheet,
  type SheetSettings,
} from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import Joi from "joi";
import { useMemo } from "react";
import type { PreviewSettings } from "../engine/protocol";
import { database } from "./database";
import { useSimulatedMachines } from "./server";

/** What the user sets for the machine; absent parts follow the machine. */
interface MachineSettings {
  /** Name of the simulated machine that is looked at; absent for this machine. */
  readonly chosen?: string;
  readonly keptFreeBytes?: number;
  readonly hostLimitBytes?: number;
}

const schema = Joi.object<MachineSettings>({
  chosen: Joi.string().max(200),
  keptFreeBytes: Joi.number().integer().min(0),
  hostLimitBytes: Joi.number()
    .integer()
    .min(2 ** 28),
});

async function loadMachineSettings(): Promise<MachineSettings> {
  const { error, value } = schema.validate((await database.settings.get("machine"))?.value ?? {});
  return error ? {} : value;
}

export async function changeMachineSettings(change: MachineSettings): Promise<void> {
  await database.transaction("rw", database.settings, async () => {
    const value = { ...(await loadMachineSettings()), ...change };
    await database.settings.put({ key: "machine", value });
  });
}

/** Undefined until it is read. */
export function useMachineSettings(): MachineSettings | undefined {
  return useLiveQuery(loadMachineSettings);
}

/** The simulated machine that is looked at, or undefined for this machine. */
export function useChosenMachine(): MachineSheet | undefined {
  const chosen = useMachineSettings()?.chosen;
  const { data } = useSimulatedMachines();
  return chosen === undefined ? undefined : data?.find(({ name }) => name === chosen);
}

/** The figures of the simulated machine that is looked at. */
export function useSimulatedFigures(): LiveFigures | undefined {
  const sheet = useChosenMachine();
  return useMemo(() => sheet && simulatedFigures(sheet, PROGRAM_RULES), [sheet]);
}

/** Settings as a machine sheet keeps them. */
function sheetSettings(settings: PreviewSettings, keptFree: number): SheetSettings {
  const { window, ...plain } = settings;
  return { ...plain, windowBefore: window.before, windowAfter: window.after, keptFreeBytes: keptFree };
}

/** Settings of a sheet that this application has, in the form in which they are set. */
export function settingsOfSheet(sheet: SheetSettings, present: PreviewSettings): PreviewSettings {
  const plain = Object.fromEntries(Object.entries(sheet).filter(([name]) => name in present && name !== "window"));
  const before = Number(sheet.windowBefore ?? present.window.before);
  const after = Number(sheet.windowAfter ?? present.window.after);
  return { ...present, ...plain, window: { before, after } };
}

interface SheetParts {
  readonly name: string;
  readonly hardware: Hardware;
  readonly settings: PreviewSettings;
  readonly machine: MachineSettings;
}

/** A sheet of this machine as it is now. */
export function sheetOf({ name, hardware, settings, machine }: SheetParts): MachineSheet {
  const keptFree = machine.keptFreeBytes ?? keptFreeBytes(hardware.installedBytes);
  return {
    format: SHEET_FORMAT,
    version: SHEET_VERSION,
    name,
    savedAtMs: Date.now(),
    hardware,
    settings: sheetSettings(settings, Math.round(keptFree)),
    ...(machine.hostLimitBytes === undefined ? {} : { hostLimitBytes: machine.hostLimitBytes }),
  };
}
