import { keptFreeBytes as leastFreeBytes, type Bytes } from "./memory";

/** Who takes memory, and what is given out. All in bytes. */
export interface MemoryDemand {
  readonly installedBytes: Bytes;
  /** The operating system and what belongs to it. */
  readonly systemBytes: Bytes;
  /** Other programs, as measured. */
  readonly programsBytes: Bytes;
  /** What the user leaves alone. */
  readonly keptFreeBytes: Bytes;
  /** Working buffers of all frames in parallel. */
  readonly workingBytes: Bytes;
  readonly cacheBytes: Bytes;
  /** Most that this application can address, where its host has a limit. */
  readonly hostLimitBytes?: Bytes;
}

/** Why the cache can have no more. */
export type SplitLimit = "installed memory" | "host limit";

/** installed = system + other programs + kept free + working buffers + memory cache + not given out. */
export interface MemorySplit extends MemoryDemand {
  /** What nobody has; 0 when more was given out than there is. */
  readonly spareBytes: Bytes;
  /** Given out beyond what is there. */
  readonly missingBytes: Bytes;
  /** Most that the cache can have beside everything else, and what sets that. */
  readonly mostCacheBytes: Bytes;
  readonly limit: SplitLimit;
  /** Above this the system starts to swap, whatever the user keeps free. */
  readonly swapEdgeBytes: Bytes;
}

/** Shares memory out. The parts of a split always add up to what is installed, less what is missing. */
export function splitMemory(demand: MemoryDemand): MemorySplit {
  const { installedBytes, systemBytes, programsBytes, keptFreeBytes, workingBytes, cacheBytes, hostLimitBytes } =
    demand;
  const room = installedBytes - systemBytes - programsBytes;
  const beside = room - keptFreeBytes - workingBytes;
  const addressable = hostLimitBytes === undefined ? Infinity : hostLimitBytes - workingBytes;
  const left = beside - cacheBytes;
  return {
    ...demand,
    spareBytes: Math.max(0, left),
    missingBytes: Math.max(0, -left),
    mostCacheBytes: Math.max(0, Math.floor(Math.min(beside, addressable))),
    limit: addressable < beside ? "host limit" : "installed memory",
    swapEdgeBytes: Math.max(0, Math.floor(room - leastFreeBytes(installedBytes) - workingBytes)),
  };
}

/** Frames in parallel that the memory beside a cache allows, at least 1. @param oneBytes buffers of one of them */
export function mostParallel(split: MemorySplit, oneBytes: Bytes): number {
  const forBuffers = split.workingBytes + split.spareBytes - split.missingBytes;
  return Math.max(1, Math.floor(forBuffers / Math.max(1, oneBytes)));
}
