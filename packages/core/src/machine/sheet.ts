import type { Bytes } from "./memory";
import type { Program } from "./programs";

export const SHEET_FORMAT = "kinetocache-machine";
export const SHEET_VERSION = 1;

export interface GraphicsDevice {
  readonly name: string;
  /** Its own memory; undefined where it shares that of the machine or does not say. */
  readonly memoryBytes?: Bytes;
  readonly driver?: string;
  /** A program on the processor that only looks like a device. */
  readonly software?: boolean;
  /**
   * Of a simulated machine: speed of rendering one frame's effects, and of decoding clips, against the processor of
   * the machine that looks at it. Undefined where it does not do that.
   */
  readonly effectSpeed?: number;
  readonly decodeSpeed?: number;
}

export interface Hardware {
  readonly installedBytes: Bytes;
  readonly cores: number;
  readonly processor: string;
  readonly system: string;
  readonly graphics: readonly GraphicsDevice[];
}

/** What is going on that slows playback down. Undefined parts are not available on this machine. */
export interface Conditions {
  /** Bytes a second to and from swap. */
  readonly swapRate?: number;
  readonly swapUsedBytes?: Bytes;
  readonly temperatureCelsius?: number;
  /** Present clock over the highest, 0 to 1. */
  readonly clockShare?: number;
  readonly onBattery?: boolean;
}

/** What a simulated machine adds, in place of measuring. */
export interface MachineSimulation {
  /** Speed of rendering against this machine; 2 is twice as fast. */
  readonly speed: number;
  readonly systemBytes: Bytes;
  readonly programs: readonly Pick<Program, "name" | "memoryBytes" | "processorShare" | "traits">[];
  readonly conditions: Conditions;
}

/** Settings that a sheet keeps, by the name of each. */
export type SheetSettings = Readonly<Record<string, number | string | boolean>>;

/** A saved description of a machine. */
export interface MachineSheet {
  readonly format: typeof SHEET_FORMAT;
  readonly version: typeof SHEET_VERSION;
  readonly name: string;
  readonly savedAtMs: number;
  readonly hardware: Hardware;
  readonly settings: SheetSettings;
  /** Most that this application can address there. */
  readonly hostLimitBytes?: Bytes;
  readonly simulation?: MachineSimulation;
}

/** A program that could address less could work with no composition at all. */
export const LEAST_HOST_LIMIT: Bytes = 2 ** 28;

/** One thing that is not as it was saved. */
export interface Drift {
  readonly kind: "hardware" | "driver" | "setting";
  /** Name of the setting, or what of the hardware. */
  readonly what: string;
  /** Undefined where it was not there. */
  readonly saved?: number | string | boolean;
  readonly now?: number | string | boolean;
}

/** What has changed since a sheet was saved: hardware first, then drivers, then settings. */
export function driftSince(saved: MachineSheet, now: MachineSheet): Drift[] {
  const drifts: Drift[] = [];
  const compare = (kind: Drift["kind"], what: string, before: Drift["saved"], after: Drift["now"]) => {
    if (before !== after) drifts.push({ kind, what, saved: before, now: after });
  };
  for (const what of ["installedBytes", "cores", "processor", "system"] as const)
    compare("hardware", what, saved.hardware[what], now.hardware[what]);
  const devices = (sheet: MachineSheet) => new Map(sheet.hardware.graphics.map((device) => [device.name, device]));
  const [before, after] = [devices(saved), devices(now)];
  for (const name of new Set([...before.keys(), ...after.keys()])) {
    const [old, present] = [before.get(name), after.get(name)];
    if (!old || !present) compare("hardware", `graphics: ${name}`, old && "present", present && "present");
    else compare("driver", name, old.driver, present.driver);
  }
  for (const what of new Set([...Object.keys(saved.settings), ...Object.keys(now.settings)]))
    compare("setting", what, saved.settings[what], now.settings[what]);
  compare("setting", "hostLimitBytes", saved.hostLimitBytes, now.hostLimitBytes);
  return drifts;
}
