import type { LayerChoices, PreviewSettings } from "../engine/protocol/command";
import type { StoredTake } from "./database";

/** What is in force besides the composition. */
interface InForce {
  readonly settings: PreviewSettings;
  readonly layers: Pick<LayerChoices, "solo" | "effectsOff">;
}

/** A take that is being repeated, and what was in force before and is again afterwards. */
export interface Repetition {
  /** The first of all that are alike. */
  readonly of: number;
  readonly left: number;
  /** Whether each begins with nothing held. */
  readonly emptied: boolean;
  readonly before: InForce;
}

/** The beginning of repeating a take. */
export function repetitionOf(take: StoredTake, times: number, before: InForce): Repetition {
  // What was held decides a take as much as the settings: one that began with nothing does so again.
  const total = take.range.out - take.range.in;
  return { of: take.repeats ?? take.id, left: times, emptied: take.heldAtStart.memory < total / 2, before };
}

/** What is left of it after one more take; undefined when that was the last. */
export function afterTake(run: Repetition): Repetition | undefined {
  return run.left > 1 ? { ...run, left: run.left - 1 } : undefined;
}
