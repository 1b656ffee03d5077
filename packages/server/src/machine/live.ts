import type { AdvisedProgram, LiveFigures } from "@kinetocache/core";
import { ConditionsProbe } from "./conditions";
import { probeMachine } from "./probe";
import type { ProgramNotes } from "./programNotes";
import { ProgramWatch, type WatchedProgram } from "./programWatch";

const EVERY_MS = 2000;
// Shares and rates are known from the second look on; the first one is not told.
const FIRST_LOOK_MS = 400;

/** Looks at the machine every two seconds while someone listens, and not at all otherwise. */
export class Live {
  private readonly listeners = new Set<(figures: LiveFigures) => void>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private watch: ProgramWatch | undefined;
  private readonly conditions = new ConditionsProbe();
  private watched: readonly WatchedProgram[] = [];
  private advised: readonly AdvisedProgram[] = [];

  constructor(private readonly notes: ProgramNotes) {}

  /**
   * @param port of the listener's end of the connection, by which its browser is known
   * @returns a function that ends it
   */
  listen(listener: (figures: LiveFigures) => void, port: number): () => void {
    this.listeners.add(listener);
    if (process.platform === "linux") this.watch ??= new ProgramWatch();
    this.watch?.addPage(port);
    if (this.timer === undefined) {
      this.watch?.look(performance.now());
      this.conditions.read(performance.now());
      this.timer = setTimeout(() => void this.round(), FIRST_LOOK_MS);
    }
    return () => {
      this.listeners.delete(listener);
      if (this.listeners.size > 0) return;
      clearTimeout(this.timer);
      this.timer = undefined;
      this.watch = undefined;
    };
  }

  /** A program of the last look, with its processes. */
  find(id: string): { readonly advised: AdvisedProgram; readonly watched: WatchedProgram } | undefined {
    const watched = this.watched.find((program) => program.id === id);
    const advised = this.advised.find((program) => program.id === id);
    return watched && advised && { watched, advised };
  }

  private async round(): Promise<void> {
    this.timer = setTimeout(() => void this.round(), EVERY_MS);
    try {
      const figures = await this.look();
      this.listeners.forEach((listener) => listener(figures));
    } catch (error) {
      console.error("The machine could not be looked at:", error);
    }
  }

  private async look(): Promise<LiveFigures> {
    const [machine, { rules, problem }] = await Promise.all([probeMachine(), this.notes.rules()]);
    const now = performance.now();
    this.watched = this.watch?.look(now) ?? [];
    this.advised = this.notes.advise(this.watched, rules, machine.installedBytes);
    return {
      machine,
      programs: this.watch && this.advised,
      conditions: this.conditions.read(now),
      rulesProblem: problem,
    };
  }
}
