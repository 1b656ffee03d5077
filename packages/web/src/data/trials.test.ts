import "fake-indexeddb/auto";
import { database } from "./database";
import { keepTrial, readTrial } from "./trials";

const processor = { device: "processor" as const, rate: 20, frames: 12, nodes: [], nodesTimed: true };

test("what was measured last is there again, with when and on what", async () => {
  const failed = { device: "low-power" as const, failure: "The graphics device was lost" };
  await keepTrial("graphicsTrial", "Night Roost", { fraction: 0.5, parallel: 2, results: [processor, failed] });
  await keepTrial("parallelTrial", "Ringing Station", { points: [{ parallel: 1, rate: 31 }] });
  expect(await readTrial("graphicsTrial")).toMatchObject({ composition: "Night Roost", results: [processor, failed] });
  expect(await readTrial("parallelTrial")).toMatchObject({ composition: "Ringing Station" });
  expect(await readTrial("decodingTrial")).toBeUndefined();
});

test("what is damaged is not taken", async () => {
  await database.settings.put({ key: "graphicsTrial", value: { results: [{ device: "toaster", rate: 3 }] } });
  expect(await readTrial("graphicsTrial")).toBeUndefined();
  await database.settings.put({ key: "parallelTrial", value: { atMs: 1, composition: "x", points: [] } });
  expect(await readTrial("parallelTrial")).toBeUndefined();
});
