import Joi from "joi";
import { compilePattern, type PatternError } from "./pattern";
import { ITEM_KINDS, type ItemRule, type RuleFile } from "./ruleFile";

/** A rule file, every pattern of which can be read. */
export const ruleFileSchema = Joi.object<RuleFile>({
  format: Joi.string().valid("kinetocache-rules").required(),
  version: Joi.number().valid(1).required(),
  items: Joi.array()
    .max(200)
    .items(
      Joi.object<ItemRule>({
        name: Joi.string().min(1).max(80).required(),
        kind: Joi.string()
          .valid(...ITEM_KINDS)
          .required(),
        item: Joi.string().valid("folder", "file").required(),
        pattern: Joi.string().max(400).custom(readable).required(),
        olderThanDays: Joi.number().integer().min(0).max(36_500),
      }),
    )
    .required(),
  projectFiles: Joi.array().max(100).items(Joi.string().max(200).custom(fileName)).required(),
  media: Joi.array().max(100).items(Joi.string().max(400).custom(readable)).required(),
});

function readable(source: string, { message }: Joi.CustomHelpers): string | Joi.ErrorReport {
  try {
    compilePattern(source);
    return source;
  } catch (error) {
    return message({ custom: "{{#label}} {{#fault}}" }, { fault: (error as PatternError).message });
  }
}

function fileName(source: string, helpers: Joi.CustomHelpers): string | Joi.ErrorReport {
  if (source.includes("/"))
    return helpers.message({ custom: '{{#label}} {{#source}} is no file name: it has "/" in it' }, { source });
  return readable(source, helpers);
}
