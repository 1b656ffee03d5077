import "fake-indexeddb/auto";
import { formatsOf, keepFormats, keepTrial, measuredForms, readTrial } from "./trials";

const NIGHT_ROOST = { id: "night-roost", name: "Night Roost" };
const ESTUARY_MAP = { id: "estuary-map", name: "Estuary Map" };
const RINGING_STATION = { id: "ringing-station", name: "Ringing Station" };
const HALF = { fraction: 0.5, depth: "8-bit" } as const;
const QUARTER = { ...HALF, fraction: 0.25 };

const processor = { device: "processor" as const, rate: 20, frames: 12, nodes: [], nodesTimed: true };

test("what was measured last is there again, with when and on what", async () => {
  const failed = { device: "low-power" as const, failure: "The graphics device was lost" };
  await keepTrial("graphicsTrial", NIGHT_ROOST, { fraction: 0.5, parallel: 2, results: [processor, failed] });
  await keepTrial("parallelTrial", RINGING_STATION, { points: [{ parallel: 1, rate: 31 }] });
  expect(await readTrial("graphicsTrial")).toMatchObject({ of: NIGHT_ROOST, results: [processor, failed] });
  expect(await readTrial("parallelTrial")).toMatchObject({ of: RINGING_STATION });
  expect(await readTrial("decodingTrial")).toBeUndefined();
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
  await keepFormats(NIGHT_ROOST, HALF, [at("main", 50)]);
  await keepFormats(NIGHT_ROOST, HALF, [at("browser", 400)]);
  await keepFormats(NIGHT_ROOST, HALF, [at("main", 60)]);
  expect(await rates()).toEqual([
    ["browser", 400],
    ["main", 60],
  ]);
  await keepFormats(NIGHT_ROOST, QUARTER, [at("main", 70)]);
  expect(await rates()).toEqual([["main", 70]]);
  await keepFormats(ESTUARY_MAP, QUARTER, [at("browser", 80)]);
  expect(await rates()).toEqual([["browser", 80]]);
});

test("what was measured with other frames counts for nothing: not of another composition, size or depth", async () => {
  const result = { location: "main", packing: "plain" as const, frames: 16, pixelBytes: 100, storedBytes: 100 };
  await keepFormats(NIGHT_ROOST, HALF, [{ ...result, writeRate: 10, readRate: 50, readRates: [50] }]);
  const trials = await readTrial("formatTrial");
  expect(formatsOf(trials, "night-roost", HALF)).toHaveLength(1);
  expect(formatsOf(trials, "estuary-map", HALF)).toEqual([]);
  expect(formatsOf(trials, "night-roost", QUARTER)).toEqual([]);
  expect(formatsOf(trials, "night-roost", { ...HALF, depth: "float" })).toEqual([]);
  expect(formatsOf(undefined, "night-roost", HALF)).toEqual([]);
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
  const trials = { of: NIGHT_ROOST, ...HALF, atMs: 1, results };
  expect(measuredForms(trials, "night-roost", HALF)).toEqual({ main: "packed", browser: "plain", other: "packed" });
  expect(measuredForms(trials, "night-roost", QUARTER)).toEqual({});
  expect(measuredForms(trials, "night-roost", { ...HALF, depth: "float" })).toEqual({});
  expect(measuredForms(trials, "estuary-map", HALF)).toEqual({});
  expect(measuredForms(undefined, "night-roost", HALF)).toEqual({});
});
