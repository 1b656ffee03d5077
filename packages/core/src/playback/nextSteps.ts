import { framesPerSecond, type Milliseconds, type Rate } from "../composition";
import { uncachedRate, type Bytes, type RenderDevice } from "../machine";

/** Where a composition stands on a machine. */
export interface StepStanding {
  readonly rate: Rate;
  /** Frames of the in–out range, and how many of them are in memory now. */
  readonly rangeFrames: number;
  readonly heldFrames: number;
  /** Frames that the cache holds with its present budget, and with all that it could have. */
  readonly fitFrames: number;
  readonly mostFrames: number;
  /** Budget that holds the range, or as much of it as there is memory for. */
  readonly wantedBytes: Bytes;
  /** Mean cost of a frame of the range; 0 while nothing is known of it. */
  readonly meanMs: Milliseconds;
  readonly parallel: number;
  readonly cores: number;
  /** Pixels of the next smaller preview size against the present one; undefined at the smallest. */
  readonly smallerShare?: number;
  /** Time until memory holds what it can of the range; undefined where that is not known. */
  readonly fillMs?: Milliseconds;
  /** Whether background rendering fills whole frames. */
  readonly fills: boolean;
  /** A device that was measured to render this composition faster than the one in use; frames a second of both. */
  readonly faster?: { readonly device: RenderDevice; readonly rate: number; readonly presentRate: number };
  /** Whether the present state has been measured, and played in real time then. */
  readonly isMeasured: boolean;
  readonly isRealTime: boolean;
}

/** What would bring the composition nearer to real time, with what it would give: estimates, but for the device. */
export type NextStep =
  | { readonly kind: "measure" }
  /** Let background rendering fill what fits: it takes so long, where that is known, and then so many are held. */
  | { readonly kind: "fill"; readonly ms: Milliseconds | undefined; readonly frames: number; readonly isOff: boolean }
  | { readonly kind: "device"; readonly device: RenderDevice; readonly rate: number; readonly presentRate: number }
  | { readonly kind: "memory"; readonly bytes: Bytes; readonly frames: number }
  /** Rates are frames a second with nothing cached. */
  | { readonly kind: "parallel"; readonly parallel: number; readonly rate: number }
  | { readonly kind: "size"; readonly rate: number };

const MOST_STEPS = 3;
// Less than this is not worth a step.
const WORTH = 1.1;

/** Up to three next steps, the one that costs the user least first. */
export function nextSteps(standing: StepStanding): NextStep[] {
  const { rate, rangeFrames, heldFrames, fitFrames, mostFrames, meanMs, parallel, cores, isMeasured } = standing;
  if (isMeasured && standing.isRealTime) return [];
  const steps: NextStep[] = [];
  const uncached = (parallelThen: number, share = 1) =>
    uncachedRate({ meanMs: meanMs * share, speed: 1, parallel: parallelThen, cores, rate });
  const present = uncached(parallel);
  const holdable = Math.min(rangeFrames, fitFrames);
  if (!isMeasured) steps.push({ kind: "measure" });
  if (standing.faster) steps.push({ kind: "device", ...standing.faster });
  if (heldFrames < holdable)
    steps.push({ kind: "fill", ms: standing.fillMs, frames: holdable, isOff: !standing.fills });
  const reachable = Math.min(rangeFrames, mostFrames);
  if (fitFrames < reachable) steps.push({ kind: "memory", bytes: standing.wantedBytes, frames: reachable });
  // Where memory will hold everything, how fast it renders does not matter for long.
  const willHold = mostFrames >= rangeFrames;
  if (parallel < cores && uncached(cores) > WORTH * present)
    steps.push({ kind: "parallel", parallel: cores, rate: uncached(cores) });
  if (standing.smallerShare !== undefined && !willHold && present < framesPerSecond(rate))
    steps.push({ kind: "size", rate: uncached(parallel, standing.smallerShare) });
  return steps.slice(0, MOST_STEPS);
}
