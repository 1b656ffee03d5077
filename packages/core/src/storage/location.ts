import { DEPTHS, type Depth } from "../composition";
import { formatFor } from "../formats";
import type { Bytes } from "../machine";

/** Id of the browser's own storage among the locations; all others are folders that the server keeps. */
export const BROWSER_LOCATION = "browser";

/** What goes first when the cap of a location is reached. */
export const EVICTION_RULES = ["least recently used", "quickest to render again"] as const;
export type EvictionRule = (typeof EVICTION_RULES)[number];

/** How frames are stored; automatic packs a frame when it then reads back faster. */
export const PACKINGS = ["plain", "packed", "automatic"] as const;
export type Packing = (typeof PACKINGS)[number];

export interface LocationSettings {
  readonly capBytes: Bytes;
  readonly rule: EvictionRule;
  readonly packing: Packing;
  /** Frames that are deeper lose the rest. */
  readonly deepest: Depth;
  /** Whether its frames go when the application is closed. */
  readonly clearOnClose: boolean;
}

const GIB = 2 ** 30;
export const SMALLEST_CAP: Bytes = 16 * 2 ** 20;
export const LARGEST_CAP: Bytes = 2 ** 50;

export const DEFAULT_LOCATION_SETTINGS: LocationSettings = {
  capBytes: 20 * GIB,
  rule: "least recently used",
  packing: "plain",
  deepest: "float",
  clearOnClose: false,
};

/** Whether a location can be used, and if not, why. */
export type LocationCondition =
  | { readonly kind: "open" }
  /** Its folder is gone: the drive was removed, or the folder was moved or deleted. */
  | { readonly kind: "missing"; readonly detail: string }
  /** Another process has it. */
  | { readonly kind: "in use"; readonly detail: string }
  | { readonly kind: "refused"; readonly detail: string };

/** The depth at which a location stores frames. */
export function storedDepth(depth: Depth, deepest: Depth): Depth {
  return DEPTHS[Math.min(DEPTHS.indexOf(depth), DEPTHS.indexOf(deepest))]!;
}

/** What storing frames of a depth loses, in words; undefined when they come back as they were. All formats keep alpha. */
export function formatLoss(depth: Depth, deepest: Depth): string | undefined {
  const stored = storedDepth(depth, deepest);
  if (stored === depth) return undefined;
  const what = stored === "8-bit" ? "fine gradations, and light brighter than white" : "the last digits of each value";
  return `frames are ${depth} and are kept at ${stored}: ${what} are lost on disk`;
}

/** Name of the open format of a stored frame. */
export function formatName(depth: Depth, packed: boolean): string {
  const format = formatFor(depth, packed);
  return format === "exr" ? `OpenEXR, ${packed ? "ZIP" : "plain"}` : format.toUpperCase();
}
