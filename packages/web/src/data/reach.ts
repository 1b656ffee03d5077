import {
  frameItems,
  type ContentKey,
  type FrameItem,
  type Owners,
  type Shown,
  type SweepItem,
} from "@kinetocache/core";
import { dequal } from "dequal";
import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useState } from "react";
import { Helper } from "../engine/helper";
import { database, type StoredDocument } from "./database";
import { engine } from "./engineStore";
import type { ReachReply, ReachRequest } from "./reach.worker";
import { useElsewhere, type Elsewhere, type PlacedFrame } from "./sweep";
import { useProfile } from "./told";

/** Keys that can still be shown, and as what. */
type Reached = ReadonlyMap<ContentKey, Shown>;

let nextRequest = 0;
const waiting = new Map<number, (shown: Reached) => void>();
const helper = new Helper(
  "The worker that finds out what compositions still show",
  () => new Worker(new URL("./reach.worker.ts", import.meta.url), { type: "module" }),
  (running) => {
    running.worker.onmessage = ({ data }: MessageEvent<ReachReply>) => {
      waiting.get(data.id)?.(new Map(data.shown));
      waiting.delete(data.id);
    };
    return running;
  },
);

/** What was asked about a composition; it holds for one revision and its bakes. */
interface Known {
  readonly revision: number;
  readonly bakes: StoredDocument["bakes"];
  readonly asked: Set<ContentKey>;
  readonly reached: Map<ContentKey, Shown>;
  /** When everything that was asked is answered. */
  answered: Promise<unknown>;
}
const known = new Map<string, Known>();

function ask(request: Omit<ReachRequest, "id">): Promise<Reached> {
  const id = nextRequest++;
  const asked = helper.ask<Reached>(({ worker }) => {
    worker.postMessage({ id, ...request } satisfies ReachRequest);
    return new Promise((resolve) => waiting.set(id, resolve));
  });
  return asked.finally(() => waiting.delete(id));
}

/** Which of some keys a composition can still show, and of others that were asked about before. */
async function reachedBy(
  { id, name, revision, history, bakes }: StoredDocument,
  wanted: readonly ContentKey[],
): Promise<Pick<Reached, "has" | "get">> {
  let entry = known.get(id);
  if (entry?.revision !== revision || !dequal(entry.bakes, bakes)) {
    entry = { revision, bakes, asked: new Set(), reached: new Map(), answered: Promise.resolve() };
    known.set(id, entry);
  }
  const { asked, reached } = entry;
  const unasked = wanted.filter((key) => !asked.has(key));
  if (unasked.length > 0) {
    unasked.forEach((key) => asked.add(key));
    const answer = ask({ wanted: unasked, states: history.states, bakes });
    entry.answered = Promise.all([
      entry.answered,
      answer.then((shown) => shown.forEach((what, key) => reached.set(key, what))),
    ]);
  }
  try {
    await entry.answered;
    return reached;
  } catch (error) {
    // It is asked anew the next time; until then, in doubt, it can still show all of them.
    known.delete(id);
    const why = error instanceof Error ? error.message : String(error);
    engine.tell({ kind: "notice", text: `${why}. Frames of "${name}" count as still to be shown.` });
    return EVERYTHING;
  }
}

const EVERYTHING = { has: () => true, get: () => undefined };

/** Only compositions that items were rendered for are asked: going through the states of one takes seconds. */
async function ownersOf(
  items: readonly FrameItem[],
  documents: readonly StoredDocument[],
  open: string,
  elsewhere: Elsewhere,
): Promise<Owners> {
  const wanted = Map.groupBy(items, ({ owner }) => owner);
  const sets = new Map(
    await Promise.all(
      documents
        .filter(({ id }) => wanted.has(id))
        .map(async (stored) => {
          const keys = wanted.get(stored.id)!.map(({ key }) => key);
          return [stored.id, await reachedBy(stored, keys)] as const;
        }),
    ),
  );
  // Of what another profile has too, only that one knows what it can still show.
  const others = new Map(elsewhere.compositions.map(({ id, name }) => [id, name]));
  return {
    names: new Map([...others, ...documents.map(({ id, name }) => [id, name] as const)]),
    reachable: (owner) => (others.has(owner) ? EVERYTHING : (sets.get(owner) ?? new Map())),
    open: new Set([open, ...elsewhere.open]),
    marks: new Map(documents.flatMap(({ id, mark }) => (mark ? [[id, mark] as const] : []))),
  };
}

/**
 * Cached frames and what they are worth; undefined while that is worked out for the first time. Until it is known of
 * other frames, it is that of before.
 */
export function useFrameItems(
  frames: readonly PlacedFrame[] | undefined,
  open: string,
): readonly SweepItem[] | undefined {
  const documents = useLiveQuery(() => database.documents.toArray());
  const elsewhere = useElsewhere(useProfile()).data;
  const [items, setItems] = useState<readonly SweepItem[]>();
  useEffect(() => {
    if (!documents || !frames || !elsewhere) return;
    let active = true;
    void ownersOf(frames, documents, open, elsewhere).then((owners) => {
      if (active) setItems(frameItems(frames, owners, Date.now()));
    });
    return () => {
      active = false;
    };
  }, [documents, open, frames, elsewhere]);
  return items;
}
