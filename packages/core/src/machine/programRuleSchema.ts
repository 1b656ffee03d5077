import Joi from "joi";
import { faultsOf } from "../composition";
import { PROGRAM_TRAITS, type ProgramRule } from "./programs";

const rulesSchema = Joi.array()
  .items(
    Joi.object<ProgramRule>({
      class: Joi.string()
        .valid("system", "needed for playback", "synchronising or backing up", "this application")
        .required(),
      trait: Joi.string().valid(...PROGRAM_TRAITS),
      executable: Joi.string().min(1).max(400),
    }).xor("trait", "executable"),
  )
  .max(1000)
  .required();

/** @throws TypeError that names every fault with its place */
export function parseProgramRules(value: unknown): readonly ProgramRule[] {
  const { error, value: rules } = rulesSchema.validate(value, { abortEarly: false, convert: false });
  if (error) throw new TypeError(faultsOf(error, "rules").join("; "));
  return rules as ProgramRule[];
}
