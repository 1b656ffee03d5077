import Joi from "joi";
import { CAP_ORDERS, type CleaningRule } from "./cleaningRule";
import { ITEM_KINDS } from "./ruleFile";

const bytes = Joi.number()
  .integer()
  .min(0)
  .max(2 ** 60);
export const cleaningRuleSchema = Joi.object<CleaningRule>({
  id: Joi.string().min(1).max(40).required(),
  on: Joi.boolean().required(),
  kinds: Joi.array()
    .items(Joi.string().valid(...ITEM_KINDS))
    .unique()
    .required(),
  drive: Joi.string().min(1).max(4096),
  action: Joi.alternatives(
    Joi.object({
      kind: Joi.string().valid("age").required(),
      days: Joi.number().integer().min(1).max(36_500).required(),
    }),
    Joi.object({
      kind: Joi.string().valid("cap").required(),
      bytes: bytes.required(),
      order: Joi.string()
        .valid(...CAP_ORDERS)
        .required(),
    }),
    Joi.object({ kind: Joi.string().valid("close", "never").required() }),
  ).required(),
  whenFreeBelow: bytes,
});
