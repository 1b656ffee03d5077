import "fake-indexeddb/auto";
import type { CostRecord } from "../engine/frameCosts";
import { keepCosts, recalledCosts } from "./costs";
import { database, type StoredDocument } from "./database";

/** What the server says of the machine; undefined while it is not there. */
let machine: object | undefined = { processor: "Dunlin 8", cores: 8 };

beforeEach(async () => {
  machine = { processor: "Dunlin 8", cores: 8 };
  jest
    .spyOn(globalThis, "fetch")
    .mockImplementation(() =>
      machine ? Promise.resolve(new Response(JSON.stringify(machine))) : Promise.reject(new TypeError("no server")),
    );
  await database.costs.clear();
  await database.documents.clear();
  await database.documents.bulkAdd(["night-roost", "estuary-map"].map((id) => ({ id }) as StoredDocument));
});
afterEach(() => jest.restoreAllMocks());

const record = (document: string, ms: number): CostRecord => ({
  document,
  models: [
    [
      "cpu-1",
      { kinds: [["noise", [[1000, ms, 9]]]], rest: [[2304, 2, 9]], sites: [["sky\nnoise", [[1000, ms + 1, 9]]]] },
    ],
  ],
  frames: {
    keys: ["a1"],
    ms: Float32Array.of(ms),
    layers: ["sky"],
    byLayer: Float32Array.of(ms - 1),
    weights: Float32Array.of(0.5),
    times: Uint8Array.of(2),
  },
});

test("a composition's layers and frames are recalled with what its kinds of effects took last anywhere", async () => {
  await keepCosts(record("night-roost", 20));
  await keepCosts(record("estuary-map", 30));
  const recalled = (await recalledCosts("night-roost"))!;
  expect(recalled.frames).toEqual(record("night-roost", 20).frames);
  const [[, { kinds, sites }]] = recalled.models as [CostRecord["models"][number]];
  expect(kinds).toEqual([["noise", [[1000, 30, 9]]]]);
  expect(sites).toEqual([["sky\nnoise", [[1000, 21, 9]]]]);
  const other = (await recalledCosts("ringing-station"))!;
  expect(other.frames.keys).toEqual([]);
  expect(other.models[0]![1]).toMatchObject({ kinds, sites: [] });
});

test("what another machine took says nothing about this one; without the server it is the last one's", async () => {
  await keepCosts(record("night-roost", 20));
  machine = { processor: "Sanderling 2", cores: 2 };
  expect(await recalledCosts("night-roost")).toBeUndefined();
  machine = undefined;
  expect((await recalledCosts("night-roost"))!.frames.ms[0]).toBe(20);
});

test("a server that does not answer holds the opening of a composition up for a moment only", async () => {
  await keepCosts(record("night-roost", 20));
  jest.spyOn(globalThis, "fetch").mockImplementation((_path, init) => {
    const { signal } = init!;
    return new Promise((_resolve, reject) => signal!.addEventListener("abort", () => reject(signal!.reason as Error)));
  });
  expect((await recalledCosts("night-roost"))!.frames.ms[0]).toBe(20);
});

test("nothing is kept of compositions that are gone", async () => {
  await keepCosts(record("night-roost", 20));
  await database.documents.delete("night-roost");
  await keepCosts(record("estuary-map", 30));
  expect(await database.costs.toCollection().primaryKeys()).toEqual(["Dunlin 8, 8\nestuary-map"]);
});
