import type { Admission } from "./admission";
import type { Parts } from "./parts";
import type { Staging } from "./staging";
import type { Timings } from "./timings";
import type { TrialDesk } from "./trialDesk";

/** All of the engine: its parts, and the desks that work with several of them. */
export interface Desks extends Parts {
  readonly trials: TrialDesk;
  readonly staging: Staging;
  readonly timings: Timings;
  readonly admission: Admission;
}
