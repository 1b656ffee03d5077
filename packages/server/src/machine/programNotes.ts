import path from "node:path";
import {
  parseProgramRules,
  PROGRAM_RULES,
  withAdvice,
  type AdvisedProgram,
  type Bytes,
  type ProgramMark,
  type ProgramRule,
} from "@kinetocache/core";
import Joi from "joi";
import { JsonFile, makeDataFolder } from "../files/jsonFile";
import { Folder } from "../files/folder";
import type { WatchedProgram } from "./programWatch";

const RULES = "program-rules.json";
const MARKS = "program-marks.json";
const LARGEST_RULES = 16 * 2 ** 20;

const marksSchema = Joi.object<Record<string, ProgramMark>>().pattern(
  Joi.string().max(10_000),
  Joi.string().valid("keep", "not needed"),
);

/** What the user has said of programs: the rule file, and the marks. Both live in the data folder. */
export class ProgramNotes {
  /** The rule file as it was read last. Every look at the machine asks for it, and it hardly ever changes. */
  private read: { readonly text: string; readonly rules: readonly ProgramRule[] } | undefined;

  private constructor(
    private readonly folder: string,
    private readonly marks: JsonFile<Readonly<Record<string, ProgramMark>>>,
  ) {}

  /** Writes the rule file where there is none. */
  static async open(folder: string): Promise<ProgramNotes> {
    await makeDataFolder(folder);
    await Folder.with(folder, (root) => {
      if (!root.stat(RULES)) root.replace(RULES, [`${JSON.stringify(PROGRAM_RULES, null, 1)}\n`]);
    });
    const format = { format: "kinetocache-program-marks", version: 1 };
    return new ProgramNotes(folder, await JsonFile.open(path.join(folder, MARKS), format, marksSchema, {}));
  }

  /** @param mark undefined takes the mark away */
  setMark({ markedAs }: Pick<WatchedProgram, "markedAs">, mark: ProgramMark | undefined): Promise<void> {
    return this.marks.change(({ [markedAs]: _before, ...others }) => (mark ? { ...others, [markedAs]: mark } : others));
  }

  /** Programs as they were seen, with the user's mark, their class and what is advised. */
  advise(watched: readonly WatchedProgram[], rules: readonly ProgramRule[], installedBytes: Bytes): AdvisedProgram[] {
    return watched.map(({ members: _members, markedAs, ...program }) =>
      withAdvice({ ...program, mark: this.marks.value[markedAs] }, rules, installedBytes),
    );
  }

  /** The rules as the file has them now. A bad file is not used; `problem` says what is wrong with it. */
  async rules(): Promise<{ readonly rules: readonly ProgramRule[]; readonly problem?: string }> {
    const file = path.join(this.folder, RULES);
    try {
      const text = await Folder.with(this.folder, (root) => root.read(RULES, LARGEST_RULES).toString());
      if (text !== this.read?.text) this.read = { text, rules: parseProgramRules(JSON.parse(text)) };
      return { rules: this.read.rules };
    } catch (error) {
      return { rules: PROGRAM_RULES, problem: `${file} is not used: ${(error as Error).message}` };
    }
  }
}
