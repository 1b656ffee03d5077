import type { Bytes } from "@kinetocache/core";
import type { FrameName } from "./frameFile";

/** A frame that a volume holds. */
export interface StoredFrame extends FrameName {
  readonly owner: string;
  readonly size: Bytes;
  lastUsedMs: number;
}
