import { framesPerSecond, type Milliseconds, type Rate } from "../composition";

interface Rendering {
  /** Mean cost of a frame on this machine. */
  readonly meanMs: Milliseconds;
  /** Speed of the machine in question against this one. */
  readonly speed: number;
  readonly parallel: number;
  readonly cores: number;
}

/** Frames a second that a machine renders. An estimate: it takes frames in parallel to help in full, up to one a core. */
export function renderRate({ meanMs, speed, parallel, cores }: Rendering): number {
  return (Math.min(parallel, cores) * speed * 1000) / Math.max(meanMs, 1e-6);
}

/** Frames a second that a machine plays when nothing is cached: what it renders, at most the composition's rate. */
export function uncachedRate({ rate, ...rendering }: Rendering & { readonly rate: Rate }): number {
  return Math.min(framesPerSecond(rate), renderRate(rendering));
}
