import { Bakes, reachableKeys, type Bake, type ContentKey, type Document } from "@kinetocache/core";

export interface ReachRequest {
  readonly id: number;
  readonly states: readonly Document[];
  readonly bakes: readonly Bake[];
}

export interface ReachReply {
  readonly id: number;
  readonly keys: readonly ContentKey[];
}

self.onmessage = ({ data: { id, states, bakes } }: MessageEvent<ReachRequest>) => {
  const reply: ReachReply = { id, keys: [...reachableKeys(states, new Bakes(bakes))] };
  self.postMessage(reply);
};
