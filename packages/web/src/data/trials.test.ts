import "fake-indexeddb/auto";
import { database } from "./database";
import { keepFormats, keepTrial, readTrial } from "./trials";

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

test("what formats do at one place stays beside that at another, for as long as the frames are the same", async () => {
  const at = (location: string, readRate: number) => ({
    location,
    packing: "plain" as const,
    frames: 16,
    pixelBytes: 100,
    storedBytes: 100,
    writeRate: 10,
    readRate,
  });
  const rates = async () =>
    (await readTrial("formatTrial"))!.results.map(({ location, readRate }) => [location, readRate]);
  await keepFormats("Night Roost", 0.5, [at("main", 50)]);
  await keepFormats("Night Roost", 0.5, [at("browser", 400)]);
  await keepFormats("Night Roost", 0.5, [at("main", 60)]);
  expect(await rates()).toEqual([
    ["browser", 400],
    ["main", 60],
  ]);
  await keepFormats("Night Roost", 0.25, [at("main", 70)]);
  expect(await rates()).toEqual([["main", 70]]);
  await keepFormats("Estuary Map", 0.25, [at("browser", 80)]);
  expect(await rates()).toEqual([["browser", 80]]);
});
