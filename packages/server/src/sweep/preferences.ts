import path from "node:path";
import {
  cleaningRuleSchema,
  DEFAULT_RULE_FILE,
  DEFAULT_SWEEP_SETTINGS,
  LONGEST_HOLDING_DAYS,
  MOST_RULES,
  ruleFileSchema,
  targetOfMark,
  type RuleFile,
  type SweepMark,
  type SweepSettings,
} from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";

export const sweepSettingsSchema = Joi.object<SweepSettings>({
  emptyAfterDays: Joi.number().integer().min(1).max(LONGEST_HOLDING_DAYS).allow(null).required(),
  rules: Joi.array()
    .max(MOST_RULES)
    .items(cleaningRuleSchema)
    .unique("id")
    .default([...DEFAULT_SWEEP_SETTINGS.rules]),
  timetable: Joi.object({
    on: Joi.boolean().required(),
    hour: Joi.number().integer().min(0).max(23).required(),
    everyDays: Joi.number().integer().min(1).max(365).required(),
  }).default(DEFAULT_SWEEP_SETTINGS.timetable),
});

const pathText = Joi.string().max(4096);
const markSchema = Joi.alternatives(
  Joi.object({
    scope: Joi.string().valid("project").required(),
    owner: Joi.string().min(1).max(400).required(),
    mark: Joi.string().valid("kept", "delivered").required(),
  }),
  Joi.object({
    scope: Joi.string().valid("item", "folder").required(),
    place: Joi.string().max(64).required(),
    path: pathText.allow("").required(),
    mark: Joi.string().valid("kept").required(),
  }),
);
const MOST_MARKS = 10_000;
const marksSchema = Joi.array<readonly SweepMark[]>().max(MOST_MARKS).items(markSchema);

/** One mark that is set or taken away. */
export interface MarkChange {
  readonly mark: SweepMark;
  readonly on: boolean;
}

export const markChangeSchema = Joi.object<MarkChange>({ mark: markSchema.required(), on: Joi.boolean().required() });

/** What the user settled for sweeping: when holding is emptied and rules run, what is a cache item, what is kept. */
export class Preferences {
  private constructor(
    private readonly settingsFile: JsonFile<SweepSettings>,
    private readonly rulesFile: JsonFile<RuleFile>,
    private readonly marksFile: JsonFile<readonly SweepMark[]>,
  ) {}

  /** @param data folder of the server's data */
  static async open(data: string): Promise<Preferences> {
    const file = <T>(name: string, format: string, schema: Joi.Schema<T>, initial: T) =>
      JsonFile.open<T>(path.join(data, `sweep${name}.json`), { format, version: 1 }, schema, initial);
    return new Preferences(
      await file("", "kinetocache-sweep-settings", sweepSettingsSchema, DEFAULT_SWEEP_SETTINGS),
      await file("-rules", "kinetocache-rules", ruleFileSchema, DEFAULT_RULE_FILE),
      await file("-marks", "kinetocache-sweep-marks", marksSchema, []),
    );
  }

  get settings(): SweepSettings {
    return this.settingsFile.value;
  }

  changeSettings(settings: SweepSettings): Promise<void> {
    return this.settingsFile.replace(settings);
  }

  get ruleFile(): RuleFile {
    return this.rulesFile.value;
  }

  changeRuleFile(rules: RuleFile): Promise<void> {
    return this.rulesFile.replace(rules);
  }

  get marks(): readonly SweepMark[] {
    return this.marksFile.value;
  }

  /** Sets one mark, or takes it away: whoever asks may not know of the others. @throws Problem 409 for too many */
  changeMark({ mark, on }: MarkChange): Promise<void> {
    const target = targetOfMark(mark);
    return this.marksFile.change((all) => {
      const others = all.filter((one) => targetOfMark(one) !== target);
      if (on && others.length >= MOST_MARKS) throw new Problem(409, "too-many", `At most ${MOST_MARKS} marks are kept`);
      return on ? [...others, mark] : others;
    });
  }
}
