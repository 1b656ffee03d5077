import type { Bytes } from "../machine";

/** What a folder is used for: `gathered` is one that a job was wrapped into. */
export const PLACE_USES = ["swept", "projects", "frames", "media", "gathered"] as const;
export type PlaceUse = (typeof PLACE_USES)[number];

/** Where looking for a folder can begin. */
export interface FolderStart {
  readonly path: string;
  readonly kind: "home" | "drive" | "recent";
  /** What it is called, where that is not its path. */
  readonly name?: string;
  /** Free on a drive. */
  readonly freeBytes?: Bytes;
}

export interface ListedFolder {
  readonly name: string;
  /** What it takes, where that is known. */
  readonly bytes?: Bytes;
  /** Why it cannot be chosen; what is in it may be. */
  readonly refusal?: string;
}

/** The folders in a folder, by name. */
export interface FolderListing {
  /** Without links. */
  readonly path: string;
  readonly refusal?: string;
  readonly folders: readonly ListedFolder[];
  /** How many more there are than are listed. */
  readonly more: number;
}
