import {
  frameItems,
  type ContentKey,
  type FrameItem,
  type Owners,
  type Shown,
  type SweepItem,
} from "@kinetocache/core";
import * as Comlink from "comlink";
import { dequal } from "dequal";
import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useState } from "react";
import { Helper } from "../engine/helper";
import type { StoredDocument } from "./database";
import { readDocuments } from "./documents";
import { engine } from "./engineStore";
import type { Reach } from "./reach.worker";
import { useElsewhere, type Elsewhere, type PlacedFrame } from "./sweep";
import { useProfile } from "./compositionReport";

const MOST_WORKERS = 4;

const workers = Array.from(
  { length: Math.min(MOST_WORKERS, navigator.hardwareConcurrency) },
  () =>
    new Helper(
      "A worker that finds out what compositions still show",
      () => new Worker(new URL("./reach.worker.ts", import.meta.url), { type: "module" }),
      (running) => ({ ...running, remote: Comlink.wrap<Reach>(running.worker) }),
    ),
);

/** Which of some keys can be shown: the first worker looks where it is likely, all of them share what is left. */
async function ask(
  { id, history: { states }, bakes }: Pick<StoredDocument, "id" | "history" | "bakes">,
  wanted: readonly ContentKey[],
): Promise<(readonly [ContentKey, Shown])[]> {
  const { found, rest } = await workers[0]!.ask(({ remote }) => remote.among(id, wanted, states, bakes));
  if (rest.length === 0) return [...found];
  const missing = wanted.filter((key) => !found.has(key));
  const others = await Promise.all(
    workers.map((worker, index) => {
      // The same settings each time: each worker remembers its own.
      const own = rest.filter((setting) => setting % workers.length === index);
      return worker.ask(({ remote }) => remote.among(id, missing, states, bakes, own));
    }),
  );
  return [found, ...others.map((one) => one.found)].flatMap((one) => [...one]);
}

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

/** Which of some keys a composition can still show, and of others that were asked about before. */
async function reachedBy(
  { id, name, revision, history, bakes }: StoredDocument,
  wanted: readonly ContentKey[],
): Promise<Pick<ReadonlyMap<ContentKey, Shown>, "has" | "get">> {
  let entry = known.get(id);
  if (entry?.revision !== revision || !dequal(entry.bakes, bakes)) {
    entry = { revision, bakes, asked: new Set(), reached: new Map(), answered: Promise.resolve() };
    known.set(id, entry);
  }
  const { asked, reached } = entry;
  const unasked = wanted.filter((key) => !asked.has(key));
  if (unasked.length > 0) {
    unasked.forEach((key) => asked.add(key));
    const answer = ask({ id, history, bakes }, unasked);
    entry.answered = Promise.all([
      entry.answered,
      answer.then((shown) => shown.forEach(([key, what]) => reached.set(key, what))),
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
  const documents = useLiveQuery(readDocuments);
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
