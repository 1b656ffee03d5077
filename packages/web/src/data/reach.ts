import { groupItems, type ContentKey, type FrameItem, type ItemGroup, type Owners } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useState } from "react";
import { database, type StoredDocument } from "./database";
import type { ReachReply, ReachRequest } from "./reach.worker";

let worker: Worker | undefined;
let nextRequest = 0;
const waiting = new Map<number, (keys: ReadonlySet<ContentKey>) => void>();

// A document's keys change only with its revision.
const known = new Map<string, { readonly revision: number; readonly keys: Promise<ReadonlySet<ContentKey>> }>();

function keysOf({ id, revision, history }: StoredDocument): Promise<ReadonlySet<ContentKey>> {
  const before = known.get(id);
  if (before?.revision === revision) return before.keys;
  if (!worker) {
    worker = new Worker(new URL("./reach.worker.ts", import.meta.url), { type: "module" });
    worker.onmessage = ({ data }: MessageEvent<ReachReply>) => {
      waiting.get(data.id)?.(new Set(data.keys));
      waiting.delete(data.id);
    };
  }
  const request: ReachRequest = { id: nextRequest++, states: history.states };
  const keys = new Promise<ReadonlySet<ContentKey>>((resolve) => waiting.set(request.id, resolve));
  known.set(id, { revision, keys });
  worker.postMessage(request);
  return keys;
}

async function loadOwners(documents: readonly StoredDocument[], open: string): Promise<Owners> {
  const sets = new Map(await Promise.all(documents.map(async (stored) => [stored.id, await keysOf(stored)] as const)));
  return {
    names: new Map(documents.map(({ id, name }) => [id, name])),
    reachable: (owner) => sets.get(owner) ?? new Set(),
    open,
  };
}

/** The items grouped by composition and state; undefined while it is still being worked out. */
export function useItemGroups(items: readonly FrameItem[] | undefined, open: string): readonly ItemGroup[] | undefined {
  const documents = useLiveQuery(() => database.documents.toArray());
  const [owners, setOwners] = useState<Owners>();
  useEffect(() => {
    if (!documents) return;
    let active = true;
    void loadOwners(documents, open).then((loaded) => {
      if (active) setOwners(loaded);
    });
    return () => {
      active = false;
    };
  }, [documents, open]);
  return items && owners ? groupItems(items, owners, Date.now()) : undefined;
}
