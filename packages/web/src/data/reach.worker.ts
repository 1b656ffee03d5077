import { reachableKeys, type ContentKey, type Document } from "@kinetocache/core";

export interface ReachRequest {
  readonly id: number;
  readonly states: readonly Document[];
}

export interface ReachReply {
  readonly id: number;
  readonly keys: readonly ContentKey[];
}

self.onmessage = ({ data: { id, states } }: MessageEvent<ReachRequest>) => {
  const reply: ReachReply = { id, keys: [...reachableKeys(states)] };
  self.postMessage(reply);
};
