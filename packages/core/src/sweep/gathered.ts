import type { Milliseconds } from "../composition";
import type { Bytes } from "../machine";

/** A project that can be wrapped. */
export interface WrapProject {
  /** Full path of its project file. */
  readonly file: string;
  readonly name: string;
}

/** A file that cannot be made again: the project file, or media that it refers to. */
export interface Original {
  /** Full path; of one that is missing, where it should be, or the id of a sequence that is nowhere. */
  readonly file: string;
  /** As the project refers to it. */
  readonly reference: string;
  readonly kind: "project" | "media";
  readonly bytes: Bytes;
  /** Outside is what no registered folder holds: it is not read. */
  readonly state: "there" | "missing" | "outside";
  /** What the project says that its content is. */
  readonly sha256?: string;
  /** Where it goes below the gathered folder; below "media" by its name when left out. */
  readonly to?: string;
}

/** What a composition of this application has beside its file; it lives in the browser, whose page tells of it. */
export interface HandedComposition {
  readonly name: string;
  /** Numbered pictures that were brought in, by their ids and by what the composition calls them. */
  readonly sequences: readonly { readonly id: string; readonly name: string }[];
  /** Ids of baked sequences that no other composition plays. */
  readonly bakes: readonly string[];
}

/** What of a project is original, what was generated, and what is missing. */
export interface WrapState extends WrapProject {
  readonly originals: readonly Original[];
  readonly originalBytes: Bytes;
  readonly missing: number;
  readonly generated: {
    readonly items: number;
    readonly bytes: Bytes;
    readonly rebuildMs: Milliseconds;
    /** Kept or in use, so that it stays. */
    readonly stays: number;
  };
}

/** A gathered file as the manifest lists it. */
export interface GatheredFile {
  /** Below the gathered folder, with "/" between its parts. */
  readonly path: string;
  readonly from: string;
  readonly reference: string;
  readonly kind: "project" | "media";
  readonly bytes: Bytes;
  readonly sha256: string;
}

export interface MissingFile {
  readonly reference: string;
  readonly bytes?: Bytes;
  readonly sha256?: string;
}

/** A gathered folder as it is found again. */
export interface GatheredState {
  readonly folder: string;
  readonly project: string;
  /** As ISO 8601. */
  readonly made: string;
  /** Full path of the project file; undefined when it is not there. */
  readonly projectFile?: string;
  readonly files: readonly (GatheredFile & { readonly state: "as it was" | "altered" | "gone" })[];
  readonly missing: readonly MissingFile[];
}

/** Missing media that was found elsewhere, and by what. */
export interface Relinked {
  readonly reference: string;
  readonly file: string;
  readonly by: "checksum" | "name";
}
