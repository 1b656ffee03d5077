import "fake-indexeddb/auto";
import { database } from "./database";
import { formatsOf, keepFormats, keepTrial, measuredForms, readTrial } from "./trials";

const HALF = { fraction: 0.5, depth: "8-bit" } as const;
const QUARTER = { ...HALF, fraction: 0.25 };

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
    readRates: [readRate],
  });
  const rates = async () =>
    (await readTrial("formatTrial"))!.results.map(({ location, readRate }) => [location, readRate]);
  await keepFormats("Night Roost", HALF, [at("main", 50)]);
  await keepFormats("Night Roost", HALF, [at("browser", 400)]);
  await keepFormats("Night Roost", HALF, [at("main", 60)]);
  expect(await rates()).toEqual([
    ["browser", 400],
    ["main", 60],
  ]);
  await keepFormats("Night Roost", QUARTER, [at("main", 70)]);
  expect(await rates()).toEqual([["main", 70]]);
  await keepFormats("Estuary Map", QUARTER, [at("browser", 80)]);
  expect(await rates()).toEqual([["browser", 80]]);
});

test("what was measured with other frames counts for nothing: not of another composition, size or depth", async () => {
  const result = { location: "main", packing: "plain" as const, frames: 16, pixelBytes: 100, storedBytes: 100 };
  await keepFormats("Night Roost", HALF, [{ ...result, writeRate: 10, readRate: 50, readRates: [50] }]);
  const trials = await readTrial("formatTrial");
  expect(formatsOf(trials, "Night Roost", HALF)).toHaveLength(1);
  expect(formatsOf(trials, "Estuary Map", HALF)).toEqual([]);
  expect(formatsOf(trials, "Night Roost", QUARTER)).toEqual([]);
  expect(formatsOf(trials, "Night Roost", { ...HALF, depth: "float" })).toEqual([]);
  expect(formatsOf(undefined, "Night Roost", HALF)).toEqual([]);
});

test("what automatic packing keeps is known only of the frames that were measured", () => {
  const of = (location: string, packing: "plain" | "packed", storedBytes: number, ...readRates: number[]) => {
    return {
      location,
      packing,
      frames: 4,
      pixelBytes: 100,
      storedBytes,
      writeRate: 10,
      readRate: readRates[0]!,
      readRates,
    };
  };
  const results = [
    of("main", "plain", 100, 5, 5),
    of("main", "packed", 50, 6, 6),
    of("browser", "plain", 100, 9, 9),
    of("browser", "packed", 50, 6, 6),
    // Sooner once each.
    of("other", "plain", 100, 5, 7),
    of("other", "packed", 50, 6, 6),
    of("torn", "plain", 100, 5, 5),
  ];
  const trials = { composition: "Night Roost", ...HALF, atMs: 1, results };
  expect(measuredForms(trials, "Night Roost", HALF)).toEqual({ main: "packed", browser: "plain", other: "packed" });
  expect(measuredForms(trials, "Night Roost", QUARTER)).toEqual({});
  expect(measuredForms(trials, "Night Roost", { ...HALF, depth: "float" })).toEqual({});
  expect(measuredForms(trials, "Estuary Map", HALF)).toEqual({});
  expect(measuredForms(undefined, "Night Roost", HALF)).toEqual({});
});
