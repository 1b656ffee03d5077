import type { EvictionContext } from "@kinetocache/core";
import type { Parts } from "./parts";

/** What the cache goes by now. */
export function evictionContext({ choices, player, stage }: Parts): EvictionContext {
  return stage.evictionContext(player.position, choices.layers.pinned);
}
