import type { FrameNumber, FrameRange, Rate } from "../composition";

/** A stretch of a file on a track. */
export interface CutClip {
  readonly name: string;
  /** The file's name, without the folders it lay in; undefined where there is no file. */
  readonly file?: string;
  /** Frames of the cut on which it shows. */
  readonly range: FrameRange;
  /** The first frame of the file that shows, counted at the file's own rate. */
  readonly sourceFrame: FrameNumber;
  readonly sourceRate: Rate;
  readonly enabled: boolean;
}

export interface CutTrack {
  readonly name: string;
  /** In order of time; none shows together with another. */
  readonly clips: readonly CutClip[];
}

/** What a file held that was not taken, and where. */
export interface LeftOut {
  readonly place: string;
  readonly what: string;
}

/** A timeline as programs hand it to each other: clips on tracks, from the bottom of the picture to the top. */
export interface Cut {
  readonly name: string;
  readonly rate: Rate;
  readonly tracks: readonly CutTrack[];
  readonly leftOut: readonly LeftOut[];
}

/** A timeline that cannot be read; `problems` says what, where and what would be right. */
export class CutError extends Error {
  constructor(readonly problems: readonly string[]) {
    super(problems.join("\n"));
    this.name = "CutError";
  }
}

/** Of all tracks together; a file with more is no timeline. */
export const MOST_ITEMS = 100_000;

/** Of a file's name; no file system knows longer ones. */
const LONGEST_FILE_NAME = 1000;

/** The last part of a path, as it is written. */
export function fileNameOf(path: string): string | undefined {
  const last = path.split(/[/\\]/).filter(Boolean).at(-1);
  return last?.slice(0, LONGEST_FILE_NAME);
}

/** The last part of an address, in which characters are escaped. */
export function addressedFile(address: string): string | undefined {
  const isWhole = /^[a-z][a-z0-9+.-]+:\/\//i.test(address);
  const last = fileNameOf(isWhole ? address.split(/[?#]/)[0]! : address);
  if (last === undefined) return undefined;
  try {
    return decodeURIComponent(last);
  } catch {
    // A per cent sign that escapes nothing is one.
    return last;
  }
}
