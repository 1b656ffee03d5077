import { framesPerSecond, type Milliseconds, type Rate } from "../composition";

interface Rendering {
  /** Mean cost of a frame on this machine. */
  readonly meanMs: Milliseconds;
  /** Speed of the machine in question against this one. */
  readonly speed: number;
  readonly parallel: number;
  readonly cores: number;
  readonly rate: Rate;
}

/**
 * Frames a second that a machine renders when nothing is cached, at most the composition's rate. An estimate: it
 * takes frames in parallel to help in full, up to one a core.
 */
export function uncachedRate({ meanMs, speed, parallel, cores, rate }: Rendering): number {
  return Math.min(framesPerSecond(rate), (Math.min(parallel, cores) * speed * 1000) / Math.max(meanMs, 1e-6));
}
