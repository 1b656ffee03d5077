import { access, mkdir, readFile, rename, writeFile } from "node:fs/promises";
import path from "node:path";
import { parseProgramRules, PROGRAM_RULES, type ProgramMark, type ProgramRule } from "@kinetocache/core";
import Joi from "joi";

const RULES = "program-rules.json";
const MARKS = "program-marks.json";

const marksSchema = Joi.object<Record<string, ProgramMark>>().pattern(
  Joi.string().max(1000),
  Joi.string().valid("keep", "not needed"),
);

async function readJsonFile(file: string): Promise<unknown> {
  const text = await readFile(file, "utf8").catch((error: NodeJS.ErrnoException) => {
    if (error.code !== "ENOENT") throw error;
  });
  return text === undefined ? undefined : (JSON.parse(text) as unknown);
}

/** The marks of before. A file that cannot be used is put aside, not overwritten. */
async function readMarks(file: string): Promise<Readonly<Record<string, ProgramMark>>> {
  try {
    return Joi.attempt((await readJsonFile(file)) ?? {}, marksSchema) as Record<string, ProgramMark>;
  } catch (error) {
    await rename(file, `${file}.damaged`);
    console.error(`${file} could not be read and was put aside as ${file}.damaged:`, error);
    return {};
  }
}

const exists = (file: string) =>
  access(file).then(
    () => true,
    () => false,
  );

async function replaceFile(file: string, value: unknown): Promise<void> {
  const temporary = `${file}.new`;
  await writeFile(temporary, `${JSON.stringify(value, null, 1)}\n`);
  await rename(temporary, file);
}

/** What the user has said of programs: the rule file, and the marks. Both live in the data folder. */
export class ProgramNotes {
  /** The rule file as it was read last. Every look at the machine asks for it, and it hardly ever changes. */
  private read: { readonly text: string; readonly rules: readonly ProgramRule[] } | undefined;

  private constructor(
    private readonly folder: string,
    private marks: Readonly<Record<string, ProgramMark>>,
  ) {}

  /** Writes the rule file where there is none. */
  static async open(folder: string): Promise<ProgramNotes> {
    await mkdir(folder, { recursive: true });
    const rules = path.join(folder, RULES);
    if (!(await exists(rules))) await replaceFile(rules, PROGRAM_RULES);
    return new ProgramNotes(folder, await readMarks(path.join(folder, MARKS)));
  }

  markOf(id: string): ProgramMark | undefined {
    return this.marks[id];
  }

  /** @param mark undefined takes the mark away */
  async setMark(id: string, mark: ProgramMark | undefined): Promise<void> {
    const { [id]: _before, ...others } = this.marks;
    this.marks = mark ? { ...others, [id]: mark } : others;
    await replaceFile(path.join(this.folder, MARKS), this.marks);
  }

  /** The rules as the file has them now. A bad file is not used; `problem` says what is wrong with it. */
  async rules(): Promise<{ readonly rules: readonly ProgramRule[]; readonly problem?: string }> {
    const file = path.join(this.folder, RULES);
    try {
      const text = await readFile(file, "utf8");
      if (text !== this.read?.text) this.read = { text, rules: parseProgramRules(JSON.parse(text)) };
      return { rules: this.read.rules };
    } catch (error) {
      return { rules: PROGRAM_RULES, problem: `${file} is not used: ${(error as Error).message}` };
    }
  }
}
