import type { Milliseconds } from "../composition";
import type { Bytes } from "../machine";
import type { FillForecast } from "../storage";
import type { Blocked } from "./foundItem";
import type { Skipped } from "./plan";
import type { ItemKind } from "./ruleFile";

/** Items by the place that they are in. */
export type Selection = readonly { readonly place: string; readonly ids: readonly string[] }[];

/** A folder that the user registered, whatever wrote what is in it. */
export interface SweepFolder {
  readonly id: string;
  /** Without links. */
  readonly folder: string;
  /** Folders in which project files are looked for. */
  readonly projects: readonly string[];
}

/** What is in a registered folder, as far as it is known now. */
export interface FolderContents {
  /** Another with every change of what is listed. */
  readonly version: number;
  /** When it was gone through last, in milliseconds since the epoch. */
  readonly scannedMs?: number;
  /** What the last scan took, until all that was found was told apart. */
  readonly scanTookMs?: Milliseconds;
  /** Whether changes in it are noticed; where there are too many folders for that, only a scan finds them. */
  readonly isWatched: boolean;
  /** Whether something changed since it was gone through, and another scan is due. */
  readonly isDue: boolean;
  readonly files: number;
  readonly items: number;
  /** All files in it. */
  readonly totalBytes?: Bytes;
  readonly itemBytes: Bytes;
  readonly holdingBytes: Bytes;
  readonly blocked: readonly Blocked[];
  readonly unreadableProjects: readonly string[];
  readonly projectFiles: number;
  /** Why it cannot be used now. */
  readonly fault?: string;
}

export interface FolderReport extends SweepFolder, FolderContents {
  /** Folder where its drive is mounted. */
  readonly drive?: string;
  readonly freeBytes?: Bytes;
  readonly forecast?: FillForecast;
}

/** What waits in holding, as it was when it was swept. */
export interface HeldItem {
  /** Below the place that it was taken from, with "/" between its parts. */
  readonly path: string;
  readonly isFolder: boolean;
  readonly kind: ItemKind;
  readonly owner?: string;
  readonly project: string;
  readonly bytes: Bytes;
  readonly files: number;
  readonly rebuildMs?: Milliseconds;
}

/** What was swept together, and by whom: the user, or the name of what ran by itself. */
export interface BatchHead {
  readonly id: string;
  /** Milliseconds since the epoch. */
  readonly sweptMs: number;
  readonly by: string;
}

/** What of it still waits. */
export interface Batch extends BatchHead {
  readonly items: number;
  readonly files: number;
  readonly bytes: Bytes;
  readonly rebuildMs: Milliseconds;
  /** Their names; ids of compositions where the server was not told their names. */
  readonly projects: readonly string[];
}

/** A batch, and the location or registered folder in whose holding it waits. */
export type PlacedBatch = Batch & { readonly place: string };

/** One with how long it was seen to wait: its time does not depend on a clock that may be wrong. */
export type WaitingBatch = PlacedBatch & { readonly waitedMs: Milliseconds };

/** What was moved to holding, and what stayed. */
export interface HeldReport {
  readonly batches: readonly PlacedBatch[];
  readonly skipped: readonly Skipped[];
}

/** Something that stayed where it was. */
export interface Stayed {
  readonly path: string;
  readonly reason: string;
}

/** Something that was swept, brought back, or let go. */
export interface HistoryEntry {
  /** Milliseconds since the epoch. */
  readonly atMs: number;
  readonly what: "swept" | "brought back" | "emptied";
  /** The user, or the name of what ran by itself. */
  readonly by: string;
  readonly batch: string;
  /** Path of the place. */
  readonly place: string;
  readonly items: number;
  readonly files: number;
  readonly bytes: Bytes;
  readonly projects: readonly string[];
  /** What stayed where it was. */
  readonly skipped: number;
  /** Of what was emptied: free bytes of the drive, measured before and after. */
  readonly freeBefore?: Bytes;
  readonly freeAfter?: Bytes;
}
