import type { LiveFigures } from "@kinetocache/core";
import { ConditionsProbe } from "./conditions";
import { probeMachine } from "./probe";
import type { ProgramNotes } from "./programNotes";
import { ProgramWatch } from "./programWatch";

/** What slowed the machine down between two questions. */
export type Disturbance = Pick<LiveFigures, "conditions" | "programs">;

/** Tells what disturbed a take: asked when it begins and when it has ended, rates and shares are those in between. */
export class Disturbances {
  private readonly conditions = new ConditionsProbe();
  private readonly watch = process.platform === "linux" ? new ProgramWatch() : undefined;

  constructor(private readonly notes: ProgramNotes) {}

  /** Since the question before; of programs only those that synchronise or back up. */
  async read(): Promise<Disturbance> {
    const [{ installedBytes }, { rules }] = await Promise.all([probeMachine(), this.notes.rules()]);
    const now = performance.now();
    const programs = this.watch && this.notes.advise(this.watch.look(now), rules, installedBytes);
    return {
      conditions: this.conditions.read(now),
      programs: programs?.filter((program) => program.class === "synchronising or backing up"),
    };
  }
}
