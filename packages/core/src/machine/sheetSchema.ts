import Joi from "joi";
import { faultsOf, readJson } from "../composition";
import { PROGRAM_TRAITS } from "./programs";
import {
  LEAST_HOST_LIMIT,
  SHEET_FORMAT,
  SHEET_VERSION,
  type Conditions,
  type GraphicsDevice,
  type Hardware,
  type MachineSheet,
  type MachineSimulation,
} from "./sheet";

/** A sheet that cannot be accepted; the message says what, where and what would be right. */
export class SheetError extends Error {
  override readonly name = "SheetError";
}

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
