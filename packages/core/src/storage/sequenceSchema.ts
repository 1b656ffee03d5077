import Joi from "joi";
import { DEPTHS } from "../composition";
import { FRAME_FORMATS } from "../formats";
import { MOST_DIGITS, SEQUENCE_FORMAT, SEQUENCE_VERSION, type NewSequence, type SequenceManifest } from "./sequence";

const frame = Joi.number().integer().min(0).max(1_000_000);
const described = {
  name: Joi.string().min(1).max(120).required(),
  kind: Joi.string().valid("bake", "import").required(),
  width: Joi.number().integer().min(1).max(16384).required(),
  height: Joi.number().integer().min(1).max(16384).required(),
  rate: Joi.object({
    numerator: Joi.number().integer().min(1).max(1_000_000).required(),
    denominator: Joi.number().integer().min(1).max(1_000_000).required(),
  }).required(),
  depth: Joi.string()
    .valid(...DEPTHS)
    .required(),
  fileFormat: Joi.string()
    .valid(...FRAME_FORMATS)
    .required(),
  frames: Joi.number().integer().min(1).max(1_000_000).required(),
  gaps: Joi.array().items(frame).unique().required(),
  numbering: Joi.object({
    first: Joi.number().integer().min(-999_999_999).max(999_999_999).required(),
    digits: Joi.number().integer().min(1).max(MOST_DIGITS).required(),
  }),
  about: Joi.string().allow("").max(65536).required(),
};

export const newSequenceSchema = Joi.object<NewSequence>(described);

export const sequenceSchema = Joi.object<SequenceManifest>({
  ...described,
  format: Joi.string().valid(SEQUENCE_FORMAT).required(),
  version: Joi.number().valid(SEQUENCE_VERSION).required(),
  id: Joi.string()
    .pattern(/^[0-9a-z-]{1,40}$/)
    .required(),
  complete: Joi.boolean().required(),
  createdMs: Joi.number().required(),
});
