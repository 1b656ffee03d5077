import { DECODE_DEVICES, EFFECT_MODES, FRACTIONS, RENDER_DEVICES } from "@kinetocache/core";
import Joi from "joi";
import { BACKGROUNDS, STORE_POLICIES, type PreviewSettings } from "../engine/protocol/command";
import { database } from "./database";

const MIB = 2 ** 20;

/** Small on purpose: the user sees what more memory buys before it is taken from the machine. */
const DEFAULT_SETTINGS: PreviewSettings = {
  fraction: 0.5,
  scrubFraction: 0.25,
  effects: "All",
  motionBlur: true,
  tradeOffs: true,
  memoryBudgetBytes: 256 * MIB,
  parallel: Math.max(
    1,
    Math.min(8, navigator.hardwareConcurrency > 4 ? navigator.hardwareConcurrency - 1 : navigator.hardwareConcurrency),
  ),
  window: { before: 24, after: 96 },
  background: "Idle",
  pauseFillingWhilePlaying: true,
  idleDelayMs: 3000,
  pacing: "keep time",
  sharpenWhenParked: true,
  loop: true,
  effectsOn: "processor",
  decodingOn: "processor",
  diskCache: { location: "main", store: "Always", storeSlow: false },
};

export const SMALLEST_BUDGET = 16 * MIB;

const schema = Joi.object<PreviewSettings>({
  fraction: Joi.number()
    .valid(...FRACTIONS)
    .required(),
  // Settings of earlier releases do not have these.
  scrubFraction: Joi.number()
    .valid(...FRACTIONS)
    .default(DEFAULT_SETTINGS.scrubFraction),
  motionBlur: Joi.boolean().default(true),
  tradeOffs: Joi.boolean().default(true),
  pauseFillingWhilePlaying: Joi.boolean().default(true),
  effects: Joi.string()
    .valid(...EFFECT_MODES)
    .required(),
  memoryBudgetBytes: Joi.number().integer().min(SMALLEST_BUDGET).required(),
  parallel: Joi.number().integer().min(1).max(64).required(),
  window: Joi.object({
    before: Joi.number().integer().min(0).max(10_000).required(),
    after: Joi.number().integer().min(1).max(10_000).required(),
  }).required(),
  background: Joi.string()
    .valid(...BACKGROUNDS)
    .required(),
  idleDelayMs: Joi.number().min(0).max(60_000).required(),
  pacing: Joi.string().valid("keep time", "show every frame").required(),
  sharpenWhenParked: Joi.boolean().required(),
  loop: Joi.boolean().required(),
  // Settings of earlier releases do not have it.
  effectsOn: Joi.string()
    .valid(...RENDER_DEVICES)
    .default("processor"),
  decodingOn: Joi.string()
    .valid(...DECODE_DEVICES)
    .default("processor"),
  diskCache: Joi.object({
    location: Joi.string().max(40).required(),
    store: Joi.string()
      .valid(...STORE_POLICIES)
      .required(),
    storeSlow: Joi.boolean().required(),
  }).default(DEFAULT_SETTINGS.diskCache),
});

/** The settings of last time, or the defaults where there are none or they are not valid any more. */
export async function loadSettings(): Promise<PreviewSettings> {
  const stored = (await database.settings.get("preview"))?.value;
  const { error, value } = schema.validate(stored);
  return error || !value ? DEFAULT_SETTINGS : value;
}

/** @throws Error that says which setting is not valid */
export function acceptSettings(value: PreviewSettings): PreviewSettings {
  return Joi.attempt(value, schema) as PreviewSettings;
}

export async function saveSettings(settings: PreviewSettings): Promise<void> {
  await database.settings.put({ key: "preview", value: settings });
}
