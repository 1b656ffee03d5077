import type { Window } from "../drawing";
import type { ContentKey } from "../graph";

/**
 * A layer's finished pixels outside a renderer: rows of RGBA float32, linear and premultiplied. All that lies
 * outside the window is empty.
 */
export interface Branch {
  readonly key: ContentKey;
  readonly window: Window;
  readonly pixels: Uint8Array<ArrayBuffer>;
}

/** What a renderer is given beside a graph, and what it is to give back. */
export interface BranchExchange {
  /** Branches that need not be rendered. */
  readonly held: ReadonlyMap<ContentKey, Branch>;
  /** Layers' finished pixels that are wanted beside the frame. */
  readonly keep: ReadonlySet<ContentKey>;
}

export const NO_BRANCHES: BranchExchange = { held: new Map(), keep: new Set() };
