import { groupItems, type ContentKey, type FrameItem, type ItemGroup, type Owners } from "@kinetocache/core";
import { dequal } from "dequal";
import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useMemo, useState } from "react";
import { database, type StoredDocument } from "./database";
import type { ReachReply, ReachRequest } from "./reach.worker";

let worker: Worker | undefined;
let nextRequest = 0;
const waiting = new Map<number, (keys: ReadonlySet<ContentKey>) => void>();

// A document's keys change only with its revision and its bakes.
interface Known {
  readonly revision: number;
  readonly bakes: StoredDocument["bakes"];
  readonly keys: Promise<ReadonlySet<ContentKey>>;
}
const known = new Map<string, Known>();

function keysOf({ id, revision, history, bakes }: StoredDocument): Promise<ReadonlySet<ContentKey>> {
  const before = known.get(id);
  if (before?.revision === revision && dequal(before.bakes, bakes)) return before.keys;
  if (!worker) {
    worker = new Worker(new URL("./reach.worker.ts", import.meta.url), { type: "module" });
    worker.onmessage = ({ data }: MessageEvent<ReachReply>) => {
      waiting.get(data.id)?.(new Set(data.keys));
      waiting.delete(data.id);
    };
  }
  const request: ReachRequest = { id: nextRequest++, states: history.states, bakes };
  const keys = new Promise<ReadonlySet<ContentKey>>((resolve) => waiting.set(request.id, resolve));
  known.set(id, { revision, bakes, keys });
  worker.postMessage(request);
  return keys;
}

interface LoadedOwners extends Owners {
  /** Those whose keys were worked out, as `ownersOf` gives them. */
  readonly loaded: string;
}

/** Ids of the compositions that items were rendered for, as a text that is equal for equal ones. */
function ownersOf(items: readonly FrameItem[]): string {
  return JSON.stringify([...new Set(items.map(({ owner }) => owner))].sort());
}

/** @param loaded only these are asked about: working out the keys of a composition takes seconds */
async function loadOwners(documents: readonly StoredDocument[], open: string, loaded: string): Promise<LoadedOwners> {
  const ids = new Set(JSON.parse(loaded) as string[]);
  const asked = documents.filter(({ id }) => ids.has(id));
  const sets = new Map(await Promise.all(asked.map(async (stored) => [stored.id, await keysOf(stored)] as const)));
  return {
    names: new Map(documents.map(({ id, name }) => [id, name])),
    reachable: (owner) => sets.get(owner) ?? new Set(),
    open,
    loaded,
  };
}

/** The items grouped by composition and state; undefined while it is still being worked out. */
export function useItemGroups(items: readonly FrameItem[] | undefined, open: string): readonly ItemGroup[] | undefined {
  const documents = useLiveQuery(() => database.documents.toArray());
  const [owners, setOwners] = useState<LoadedOwners>();
  const asked = useMemo(() => items && ownersOf(items), [items]);
  useEffect(() => {
    if (!documents || asked === undefined) return;
    let active = true;
    void loadOwners(documents, open, asked).then((loaded) => {
      if (active) setOwners(loaded);
    });
    return () => {
      active = false;
    };
  }, [documents, open, asked]);
  // Items of a composition that was not asked about yet would all pass for superseded.
  return items && owners && owners.loaded === asked ? groupItems(items, owners, Date.now()) : undefined;
}
