import Joi from "joi";
import { DEPTHS } from "../composition";
import { EVICTION_RULES, LARGEST_CAP, PACKINGS, SMALLEST_CAP, type LocationSettings } from "./location";

/** Some or all settings of a location. */
export const locationSettingsSchema = Joi.object<Partial<LocationSettings>>({
  capBytes: Joi.number().integer().min(SMALLEST_CAP).max(LARGEST_CAP),
  rule: Joi.string().valid(...EVICTION_RULES),
  packing: Joi.string().valid(...PACKINGS),
  deepest: Joi.string().valid(...DEPTHS),
  clearOnClose: Joi.boolean(),
});
