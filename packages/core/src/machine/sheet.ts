import Joi from "joi";
import { faultsOf, readJson } from "../composition";
import type { Bytes } from "./memory";
import { PROGRAM_TRAITS, type Program } from "./programs";

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

/** A sheet that cannot be accepted; the message says what, where and what would be right. */
export class SheetError extends Error {
  override readonly name = "SheetError";
}

/** A program that could address less could work with no composition at all. */
export const LEAST_HOST_LIMIT: Bytes = 2 ** 28;
const MOST_BYTES = 2 ** 50;
const bytes = Joi.number().integer().min(0).max(MOST_BYTES);
const label = Joi.string().min(1).max(200);
const speed = Joi.number().min(0.01).max(100);

const sheetSchema = Joi.object<MachineSheet>({
  format: Joi.string().valid(SHEET_FORMAT).required(),
  version: Joi.number().valid(SHEET_VERSION).required(),
  name: label.required(),
  savedAtMs: Joi.number().integer().min(0).required(),
  hardware: Joi.object<Hardware>({
    installedBytes: bytes.min(2 ** 28).required(),
    cores: Joi.number().integer().min(1).max(1024).required(),
    processor: label.required(),
    system: label.required(),
    graphics: Joi.array()
      .items(
        Joi.object<GraphicsDevice>({
          name: label.required(),
          memoryBytes: bytes,
          driver: label,
          software: Joi.boolean(),
          effectSpeed: speed,
          decodeSpeed: speed,
        }),
      )
      .max(32)
      .required(),
  }).required(),
  settings: Joi.object()
    .pattern(Joi.string().max(60), Joi.alternatives(Joi.number(), Joi.string().max(200), Joi.boolean()))
    .max(100)
    .required(),
  hostLimitBytes: bytes.min(LEAST_HOST_LIMIT),
  simulation: Joi.object<MachineSimulation>({
    speed: speed.required(),
    systemBytes: bytes.required(),
    programs: Joi.array()
      .items(
        Joi.object({
          name: label.required(),
          memoryBytes: bytes.required(),
          processorShare: Joi.number().min(0).max(1024).required(),
          traits: Joi.array()
            .items(Joi.string().valid(...PROGRAM_TRAITS))
            .required(),
        }),
      )
      .max(500)
      .required(),
    conditions: Joi.object<Conditions>({
      swapRate: Joi.number().min(0),
      swapUsedBytes: bytes,
      temperatureCelsius: Joi.number().min(-50).max(200),
      clockShare: Joi.number().min(0).max(1),
      onBattery: Joi.boolean(),
    }).required(),
  }),
});

/** @throws SheetError */
export function parseSheet(value: unknown): MachineSheet {
  const { format, version } = (typeof value === "object" && value !== null ? value : {}) as Partial<MachineSheet>;
  if (format === SHEET_FORMAT && typeof version === "number" && version > SHEET_VERSION)
    throw new SheetError(
      `version: the sheet is of version ${String(version)}, this application reads up to ${SHEET_VERSION}; nothing was changed`,
    );
  if (format !== SHEET_FORMAT)
    throw new SheetError(`format: this is no machine sheet, whose format is "${SHEET_FORMAT}"`);
  const { error, value: sheet } = sheetSchema.validate(value, { abortEarly: false, convert: false });
  if (error) throw new SheetError(faultsOf(error, "sheet").join("\n"));
  return sheet;
}

/** @throws SheetError */
export function parseSheetText(text: string): MachineSheet {
  let value: unknown;
  try {
    value = readJson(text);
  } catch (cause) {
    throw new SheetError((cause as Error).message, { cause });
  }
  return parseSheet(value);
}

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
