import type { CostRecord } from "../engine/frameCosts";
import { database, type StoredCosts } from "./database";
import { readMachine } from "./server";

// Opening a composition does not wait longer for a server that is busy, or stuck.
const LONGEST_MS = 500;

/** What the machine is called; undefined while the server cannot say. */
async function machineName(): Promise<string | undefined> {
  const figures = await readMachine(AbortSignal.timeout(LONGEST_MS)).catch(() => undefined);
  return figures && `${figures.processor}, ${figures.cores}`;
}

const NO_FRAMES: CostRecord["frames"] = {
  keys: [],
  ms: new Float32Array(),
  layers: [],
  byLayer: new Float32Array(),
  weights: new Float32Array(),
  times: new Uint8Array(),
};

const idOf = (machine: string, document: string) => `${machine}\n${document}`;

/** Of which machine costs are while the server cannot say: the one they were last measured on. */
async function lastMachine(): Promise<string | undefined> {
  return (await database.costs.orderBy("keptMs").last())?.machine;
}

/**
 * What was measured on this machine before: the layers and frames of a composition, and what kinds of effects took last
 * in any. Undefined where nothing was.
 */
export async function recalledCosts(document: string): Promise<CostRecord | undefined> {
  const machine = (await machineName()) ?? (await lastMachine());
  if (machine === undefined) return undefined;
  const ofMachine = database.costs.where("[machine+keptMs]").between([machine, 0], [machine, Infinity]);
  const newest = (await ofMachine.last())?.record;
  if (!newest) return undefined;
  const own = (await database.costs.get(idOf(machine, document)))?.record;
  const sites = new Map(own?.models.map(([renderer, knowledge]) => [renderer, knowledge.sites]));
  return {
    document,
    models: newest.models.map(([renderer, known]) => [renderer, { ...known, sites: sites.get(renderer) ?? [] }]),
    frames: own?.frames ?? NO_FRAMES,
  };
}

/** Keeps what was measured for the next session, and nothing of compositions that are not there any more. */
export async function keepCosts(record: CostRecord): Promise<void> {
  const machine = (await machineName()) ?? (await lastMachine()) ?? "this machine";
  const { document } = record;
  const stored: StoredCosts = { id: idOf(machine, document), machine, document, keptMs: Date.now(), record };
  await database.transaction("rw", database.costs, database.documents, async () => {
    await database.costs.put(stored);
    const there = await database.documents.toCollection().primaryKeys();
    await database.costs.where("document").noneOf(there).delete();
  });
}
