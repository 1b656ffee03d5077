import * as Comlink from "comlink";
import { Bakes, Reachable, type Bake, type ContentKey, type Document, type Reached } from "@kinetocache/core";

const compositions = new Map<string, Reachable>();

const reach = {
  /** @param id of the composition, of which it is remembered what was worked out */
  among(
    id: string,
    wanted: readonly ContentKey[],
    states: readonly Document[],
    bakes: readonly Bake[],
    only?: readonly number[],
  ): Reached {
    const known = compositions.get(id) ?? new Reachable();
    compositions.set(id, known);
    return known.among(wanted, states, new Bakes(bakes), only);
  },
};

export type Reach = typeof reach;

Comlink.expose(reach);
