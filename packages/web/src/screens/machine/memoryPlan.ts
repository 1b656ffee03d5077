import {
  frameBytes,
  framesThatFit,
  keptFreeBytes,
  memoryUse,
  secondsHeld,
  smallestBudget,
  splitMemory,
  type Bytes,
  type Composition,
  type Depth,
  type LiveFigures,
  type MemorySplit,
} from "@kinetocache/core";
import type { PreviewSettings } from "../../engine/protocol/command";

/** What the user shares out. */
export interface Shares {
  readonly keptFreeBytes: Bytes;
  readonly parallel: number;
  readonly cacheBytes: Bytes;
  readonly hostLimitBytes?: Bytes;
}

/** A way of sharing memory out, with what there is to say of it. */
export interface MemoryPlan {
  readonly split: MemorySplit;
  /** Working buffers of one frame. */
  readonly oneBytes: Bytes;
  /** Least that holds the window around the playhead. */
  readonly windowBytes: Bytes;
  readonly sentence: string;
  readonly detail: string;
}

interface Surroundings {
  readonly figures: LiveFigures;
  readonly composition: Composition;
  readonly depth: Depth;
  readonly settings: PreviewSettings;
  readonly oneBytes: Bytes;
  readonly text: (bytes: Bytes) => string;
}

/** Shares as they follow from the machine where the user has said nothing. */
export function defaultKeptFree(installedBytes: Bytes): Bytes {
  return Math.round(keptFreeBytes(installedBytes));
}

/** The split of the machine's memory for some shares, and the sentence that says where that stands. */
export function planMemory(shares: Shares, around: Surroundings): MemoryPlan {
  const { figures, composition, depth, settings, oneBytes, text } = around;
  const { systemBytes, programsBytes } = memoryUse(figures);
  const split = splitMemory({
    installedBytes: figures.machine.installedBytes,
    systemBytes,
    programsBytes,
    keptFreeBytes: shares.keptFreeBytes,
    workingBytes: shares.parallel * oneBytes,
    cacheBytes: shares.cacheBytes,
    hostLimitBytes: shares.hostLimitBytes,
  });
  const windowBytes = smallestBudget(settings.window, frameBytes(composition, settings.fraction, depth));
  return { split, oneBytes, windowBytes, ...verdict(split, windowBytes, text) };
}

function verdict(
  split: MemorySplit,
  windowBytes: Bytes,
  text: (bytes: Bytes) => string,
): Pick<MemoryPlan, "sentence" | "detail"> {
  const { cacheBytes, mostCacheBytes, swapEdgeBytes, limit } = split;
  if (limit === "host limit" && cacheBytes >= mostCacheBytes)
    return {
      sentence: "The host limit is reached",
      detail: `Cache and buffers together cannot exceed ${text(split.hostLimitBytes!)} here; more installed memory would not help.`,
    };
  if (cacheBytes > swapEdgeBytes)
    return {
      sentence: "The system would start to swap",
      detail: `Above ${text(swapEdgeBytes)} for the cache too little stays free for the system.`,
    };
  if (cacheBytes < windowBytes)
    return {
      sentence: "The cache is too small to scrub",
      detail: `It holds less than the window around the playhead; ${text(windowBytes)} would hold that.`,
    };
  const more = mostCacheBytes - cacheBytes;
  if (more < mostCacheBytes / 50)
    return { sentence: "All of the memory is given out", detail: "Closing other programs is what would help." };
  return {
    sentence: `The cache can have ${text(more)} more`,
    detail: `It has ${text(cacheBytes)} now, and ${text(mostCacheBytes)} could be given beside everything else.`,
  };
}

/** Seconds of preview that some memory holds, and whether that is all of a range. */
export function preview(
  cacheBytes: Bytes,
  composition: Composition,
  how: { readonly fraction: number; readonly depth: Depth },
  rangeFrames: number,
): { readonly seconds: number; readonly holdsRange: boolean } {
  const frames = framesThatFit(cacheBytes, frameBytes(composition, how.fraction, how.depth));
  return { seconds: secondsHeld(frames, composition.rate), holdsRange: frames >= rangeFrames };
}
