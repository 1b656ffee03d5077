import { appendFile, readFile, rename, writeFile } from "node:fs/promises";
import Joi from "joi";

/** A move of files between `frames/` and one batch of holding, or their removal from it. */
export interface Move {
  readonly id: string;
  readonly kind: "hold" | "restore" | "empty";
  readonly batch: string;
  /** Paths relative to `frames/` and, alike, to the batch. */
  readonly files: readonly string[];
}

type Line = { readonly begin: Move } | { readonly done: string };

const moveSchema = Joi.object<Move>({
  id: Joi.string().required(),
  kind: Joi.string().valid("hold", "restore", "empty").required(),
  batch: Joi.string().required(),
  files: Joi.array().items(Joi.string()).required(),
});
const lineSchema = Joi.alternatives(
  Joi.object({ begin: moveSchema.required() }),
  Joi.object({ done: Joi.string().required() }),
);

/**
 * Intentions on disk: a move is written and synced before its first file is touched and marked done after
 * the last, so that whatever a crash interrupts is finished at the next start.
 */
export class Journal {
  constructor(private readonly file: string) {}

  async begin(move: Move): Promise<void> {
    await this.append({ begin: move });
  }

  async done(id: string): Promise<void> {
    await this.append({ done: id });
  }

  /** Moves that were begun and not finished, in order. A torn last line was never acted on and is dropped. */
  async unfinished(): Promise<Move[]> {
    const open = new Map<string, Move>();
    for (const line of await this.lines()) {
      if ("begin" in line) open.set(line.begin.id, line.begin);
      else open.delete(line.done);
    }
    return [...open.values()];
  }

  /** Starts afresh; called when nothing is unfinished. */
  async clear(): Promise<void> {
    await writeFile(`${this.file}.new`, "", { flush: true });
    await rename(`${this.file}.new`, this.file);
  }

  private async append(line: Line): Promise<void> {
    await appendFile(this.file, `${JSON.stringify(line)}\n`, { flush: true });
  }

  private async lines(): Promise<Line[]> {
    let text: string;
    try {
      text = await readFile(this.file, "utf8");
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === "ENOENT") return [];
      throw error;
    }
    return text.split("\n").flatMap((line) => {
      if (line === "") return [];
      try {
        const { error, value } = lineSchema.validate(JSON.parse(line) as unknown);
        return error ? [] : [value as Line];
      } catch {
        // Half a line: the process died while writing it, before any file was moved.
        return [];
      }
    });
  }
}
