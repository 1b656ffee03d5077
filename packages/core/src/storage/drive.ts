import type { Bytes } from "../machine";
import type { Milliseconds } from "../composition";

/** What a drive is; "unknown" where the system does not say, as for one that a container sees. */
export type DriveKind = "solid state" | "spinning" | "removable" | "network" | "memory" | "unknown";

export interface Drive {
  /** Folder where it is mounted, which names it. */
  readonly mount: string;
  readonly device: string;
  readonly kind: DriveKind;
  readonly totalBytes: Bytes;
  readonly freeBytes: Bytes;
  /** What is taken; beside it and what is free, a file system keeps some for itself. */
  readonly usedBytes: Bytes;
  /** The operating system is on it. */
  readonly isSystem: boolean;
  /** A folder with an enforced capacity, rate and latency that stands in for a drive. */
  readonly simulated: boolean;
  /** Ids of the locations on it. */
  readonly locations: readonly string[];
}

/** One measurement of a drive with frame-sized files. Rates are bytes a second. */
export interface DriveTest {
  readonly mount: string;
  readonly atMs: number;
  readonly frames: number;
  readonly frameBytes: Bytes;
  /** Synced to the drive after each frame. */
  readonly writeRate: number;
  readonly readRate: number;
  /** Median time of reading one frame. */
  readonly frameMs: Milliseconds;
  /** As `readRate`, while media was read from the same drive; measurements of earlier releases do not have it. */
  readonly readWithMediaRate?: number;
  /** Whether reads were made to reach the drive; otherwise they may come from the system's page cache. */
  readonly direct: boolean;
}

/** The last gigabyte of a drive belongs to the system. */
export const KEPT_FREE: Bytes = 2 ** 30;

/** A drive must read this much faster than playback needs, for playback to count on it. */
export const READ_HEADROOM = 1.2;
const NEARLY_FULL_SHARE = 0.1;
const NEARLY_FULL_BYTES = 2 * 2 ** 30;
// A drive has become slower when it reads less than this share of its best.
const SLOWER_SHARE = 0.7;

/** Whether a drive that reads this fast plays frames of that size in real time. @param neededRate bytes a second */
export function playsFromDrive(readRate: number, neededRate: number): boolean {
  return readRate >= READ_HEADROOM * neededRate;
}

/** Whether a drive has less than 2 GB left, or less than a tenth where it is small. */
export function isNearlyFull({ totalBytes, freeBytes }: Pick<Drive, "totalBytes" | "freeBytes">): boolean {
  return freeBytes < Math.min(NEARLY_FULL_BYTES, NEARLY_FULL_SHARE * totalBytes);
}

/**
 * What the last measurement of a drive reached of its best, where that is clearly less; undefined where it is not.
 * Only measurements with frames of the same size, made in the same way, are set against each other.
 * @param tests of one drive, oldest first
 */
export function slowedTo(tests: readonly DriveTest[]): number | undefined {
  const last = tests.at(-1);
  if (!last) return undefined;
  const alike = tests.filter(({ direct, frameBytes }) => direct === last.direct && frameBytes === last.frameBytes);
  const share = last.readRate / Math.max(...alike.map(({ readRate }) => readRate));
  return share < SLOWER_SHARE ? share : undefined;
}
