import { DECODE_DEVICES, EFFECT_MODES, FRACTIONS, RENDER_DEVICES } from "@kinetocache/core";
import Joi from "joi";
import { BACKGROUNDS, STORE_POLICIES, type PreviewSettings } from "../engine/protocol/command";
import { SMALLEST_BUDGET } from "./settings";

const schema = Joi.object<PreviewSettings>({
  fraction: Joi.number()
    .valid(...FRACTIONS)
    .required(),
  scrubFraction: Joi.number()
    .valid(...FRACTIONS)
    .required(),
  motionBlur: Joi.boolean().required(),
  tradeOffs: Joi.boolean().required(),
  pauseFillingWhilePlaying: Joi.boolean().required(),
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
  effectsOn: Joi.string()
    .valid(...RENDER_DEVICES)
    .required(),
  decodingOn: Joi.string()
    .valid(...DECODE_DEVICES)
    .required(),
  diskCache: Joi.object({
    location: Joi.string().max(40).required(),
    store: Joi.string()
      .valid(...STORE_POLICIES)
      .required(),
    storeSlow: Joi.boolean().required(),
  }).required(),
});

/** Settings that came with a machine sheet. @throws Error that says which of them is not valid */
export function acceptSettings(value: PreviewSettings): PreviewSettings {
  return Joi.attempt(value, schema) as PreviewSettings;
}
