import {
  keptFreeBytes,
  PROGRAM_RULES,
  SHEET_FORMAT,
  SHEET_VERSION,
  simulatedFigures,
  type GraphicsDevice,
  type Hardware,
  type LiveFigures,
  type MachineSheet,
  type SheetSettings,
} from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import type { Adapter } from "../engine/gpu/adapters";
import { STORE_POLICIES, type PreviewSettings } from "../engine/protocol/command";
import { database } from "./database";
import { useSimulatedMachines } from "./server";

/** What the user sets for the machine; absent parts follow the machine. */
interface MachineSettings {
  /** Name of the simulated machine that is looked at; absent for this machine. */
  readonly chosen?: string;
  readonly keptFreeBytes?: number;
  readonly hostLimitBytes?: number;
}

async function loadMachineSettings(): Promise<MachineSettings> {
  return ((await database.settings.get("machine"))?.value ?? {}) as MachineSettings;
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

/** A machine that can be looked at instead of this one. */
interface OtherMachine {
  readonly sheet: MachineSheet;
  /** Where the browser keeps it; undefined for one that ships with the product. */
  readonly id?: number;
}

/** The simulated machines: those that ship with the product, then the user's own. */
export function useOtherMachines(): readonly OtherMachine[] {
  const { data: shipped } = useSimulatedMachines();
  const own = useLiveQuery(() => database.sheets.filter(({ sheet }) => sheet.simulation !== undefined).toArray());
  return useMemo(() => [...(shipped ?? []).map((sheet) => ({ sheet })), ...(own ?? [])], [shipped, own]);
}

/** The simulated machine that is looked at, or undefined for this machine. */
export function useChosenMachine(): OtherMachine | undefined {
  const chosen = useMachineSettings()?.chosen;
  const machines = useOtherMachines();
  return chosen === undefined ? undefined : machines.find(({ sheet }) => sheet.name === chosen);
}

/** Keeps a simulated machine of the user's own, and looks at it. @throws Error when the name is taken */
export async function addMachine(sheet: MachineSheet, taken: readonly OtherMachine[]): Promise<void> {
  if (taken.some((other) => other.sheet.name === sheet.name))
    throw new Error(`There is a machine called "${sheet.name}" already; give this one another name.`);
  const { parseSheet } = await import("./sheetChecks");
  await database.sheets.add({ sheet: parseSheet(sheet) });
  await changeMachineSettings({ chosen: sheet.name });
}

export async function removeMachine(id: number): Promise<void> {
  await database.sheets.delete(id);
  await changeMachineSettings({ chosen: undefined });
}

/** The figures of the simulated machine that is looked at. */
export function useSimulatedFigures(): LiveFigures | undefined {
  const sheet = useChosenMachine()?.sheet;
  return useMemo(() => sheet && simulatedFigures(sheet, PROGRAM_RULES), [sheet]);
}

/** Settings as a machine sheet keeps them. */
export function sheetSettings(settings: PreviewSettings, keptFree: number): SheetSettings {
  const { window, diskCache, ...plain } = settings;
  // Where the frames go is this machine's own.
  const { store, storeSlow } = diskCache;
  return {
    ...plain,
    windowBefore: window.before,
    windowAfter: window.after,
    diskCacheStore: store,
    diskCacheStoreSlow: storeSlow,
    keptFreeBytes: keptFree,
  };
}

/** Settings of a sheet that this application has, in the form in which they are set. */
export function settingsOfSheet(sheet: SheetSettings, present: PreviewSettings): PreviewSettings {
  const plain = Object.fromEntries(Object.entries(sheet).filter(([name]) => name in present));
  const before = Number(sheet.windowBefore ?? present.window.before);
  const after = Number(sheet.windowAfter ?? present.window.after);
  const { diskCache } = present;
  const store = STORE_POLICIES.find((policy) => policy === sheet.diskCacheStore) ?? diskCache.store;
  const storeSlow = typeof sheet.diskCacheStoreSlow === "boolean" ? sheet.diskCacheStoreSlow : diskCache.storeSlow;
  return { ...present, ...plain, window: { before, after }, diskCache: { ...diskCache, store, storeSlow } };
}

interface SheetParts {
  readonly name: string;
  readonly hardware: Hardware;
  /** Graphics devices that the browser hands out, beside those of the system. */
  readonly adapters: readonly Adapter[];
  readonly settings: PreviewSettings;
  readonly machine: MachineSettings;
}

function deviceOf({ name, isSoftware }: Adapter): GraphicsDevice {
  return { name: `${name}, in the browser`, ...(isSoftware ? { software: true } : {}) };
}

/** A sheet of this machine as it is now. */
export function sheetOf({ name, hardware, adapters, settings, machine }: SheetParts): MachineSheet {
  const keptFree = machine.keptFreeBytes ?? keptFreeBytes(hardware.installedBytes);
  return {
    format: SHEET_FORMAT,
    version: SHEET_VERSION,
    name,
    savedAtMs: Date.now(),
    hardware: { ...hardware, graphics: [...hardware.graphics, ...adapters.map(deviceOf)] },
    settings: sheetSettings(settings, Math.round(keptFree)),
    ...(machine.hostLimitBytes === undefined ? {} : { hostLimitBytes: machine.hostLimitBytes }),
  };
}
