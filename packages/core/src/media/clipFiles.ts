import type { Bytes } from "../machine";

/** A file in a folder that is registered as source media. */
export interface ListedMedia {
  /** Id of the registered folder. */
  readonly location: string;
  /** From the folder on, with `/` between names. */
  readonly path: string;
  readonly bytes: Bytes;
  /** When it was last written, in whole milliseconds since 1970. */
  readonly modifiedMs: number;
}

/** What lies in the folders of source media. */
export interface MediaListing {
  readonly files: readonly ListedMedia[];
  /** What was not looked through, and why, in words. */
  readonly faults: readonly string[];
}

/** Files in which clips come, by the ends of their names. */
const CLIP_ENDINGS = [".mp4", ".m4v", ".mov", ".webm", ".mkv"] as const;

/** Whether a file is a clip by its name. */
export function isClipName(name: string): boolean {
  const plain = name.toLowerCase();
  return CLIP_ENDINGS.some((ending) => plain.endsWith(ending));
}
