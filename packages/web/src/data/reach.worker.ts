import { Bakes, reachableAmong, type Bake, type ContentKey, type Document, type Shown } from "@kinetocache/core";

export interface ReachRequest {
  readonly id: number;
  /** Keys of the frames that are asked about. */
  readonly wanted: readonly ContentKey[];
  readonly states: readonly Document[];
  readonly bakes: readonly Bake[];
}

export interface ReachReply {
  readonly id: number;
  readonly shown: readonly (readonly [ContentKey, Shown])[];
}

self.onmessage = ({ data: { id, wanted, states, bakes } }: MessageEvent<ReachRequest>) => {
  const reply: ReachReply = { id, shown: [...reachableAmong(wanted, states, new Bakes(bakes))] };
  self.postMessage(reply);
};
