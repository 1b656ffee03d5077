import {
  DEFAULT_LOCATION_SETTINGS,
  needsOf,
  type Drive,
  type DriveTest,
  type FormatTrial,
  type Packing,
} from "@kinetocache/core";
import type { LocationView } from "../../data/locations";
import { roomOf } from "../../data/room";
import { formatInUse } from "../../data/trials";
import { fasterDrives, placeOf, unmeasured, type Surroundings } from "./placement";
import {
  contentsText,
  forecastText,
  formsNote,
  headroomText,
  storageAnswer,
  testNote,
  type Present,
} from "./storageWords";

const GIB = 2 ** 30;
const MIB = 2 ** 20;
const HOUR = 3600 * 1000;

const drive: Drive = {
  mount: "/media/fast",
  device: "/dev/made-up1",
  kind: "solid state",
  totalBytes: 500 * GIB,
  freeBytes: 200 * GIB,
  // The file system keeps 150 GB for itself.
  usedBytes: 150 * GIB,
  isSystem: false,
  simulated: false,
  locations: ["main"],
};

function location(change: Partial<LocationView["contents"]> = {}, packing: Packing = "plain"): LocationView {
  const contents = {
    settings: { ...DEFAULT_LOCATION_SETTINGS, packing },
    frames: 0,
    bytes: 0,
    holdingBytes: 0,
    beyondCapBytes: 0,
    sequenceBytes: 0,
    freeBytes: 200 * GIB,
    keptFree: GIB,
    growth: [],
    ...change,
  };
  return { id: "main", name: "…/cache", holds: "frames", condition: { kind: "open" }, contents };
}

const measured = (readRate: number, direct = true): DriveTest => ({
  mount: "/media/fast",
  atMs: 0,
  frames: 24,
  frameBytes: 2 * MIB,
  writeRate: 90 * MIB,
  readRate,
  frameMs: 4,
  readWithMediaRate: readRate / 2,
  direct,
});
const trial = (packing: Packing, readRate: number): FormatTrial => ({
  location: "main",
  packing,
  frames: 16,
  pixelBytes: 2 * MIB,
  storedBytes: packing === "packed" ? MIB : 2 * MIB,
  writeRate: 50 * MIB,
  readRate,
  readRates: [readRate, readRate, readRate],
});

// 960 × 540 at 24 a second: 47.5 MB/s, and 57.0 with the margin.
const needs = needsOf(
  { width: 1920, height: 1080, rate: { numerator: 24, denominator: 1 }, duration: 240 },
  0.5,
  "8-bit",
  { bytes: 0, rate: 0 },
);

const answer = (change: Partial<Surroundings> = {}, present: Partial<Present> = {}) =>
  storageAnswer(
    { locations: [location()], drives: [drive], tests: [], formats: [], ...change },
    { "disk cache": "main" },
    needs,
    "Night Roost",
    { readBack: undefined, frames: 240, frameBytes: 960 * 540 * 4, ...present },
  );

test("the answer says whether the disk cache plays back in real time, with both numbers", () => {
  expect(answer().sentence).toBe("The disk cache is not measured yet");
  expect(answer({ tests: [measured(400 * MIB)] })).toEqual({
    sentence: "Fast enough to play from disk",
    detail: "its drive reads 400 MB/s, Night Roost needs 57.0 MB/s with its margin. …/cache",
    isMeasured: false,
  });
  expect(answer({ tests: [measured(400 * MIB), measured(55 * MIB)] }).sentence).toBe("Too slow to play from disk");
});

test("a fast drive behind a slow path is slow, and so is the reverse", () => {
  const behind = answer({ tests: [measured(400 * MIB)], formats: [trial("plain", 40 * MIB)] });
  expect(behind).toMatchObject({ sentence: "Too slow to play from disk", isMeasured: true });
  expect(behind.detail).toContain("frames come back at 40.0 MB/s");
  expect(answer({ tests: [measured(30 * MIB)], formats: [trial("plain", 90 * MIB)] }).sentence).toContain("Too slow");
});

test("what came back lately counts, and so does how many frames there is room for", () => {
  const tests = [measured(400 * MIB)];
  const late = answer({ tests }, { readBack: 20 * MIB });
  expect([late.sentence, late.detail]).toEqual([
    "Too slow to play from disk",
    "its drive reads 400 MB/s, lately 20.0 MB/s, Night Roost needs 57.0 MB/s with its margin. …/cache",
  ]);
  expect(answer({ tests }, { readBack: 50 * MIB }).sentence).toBe("Fast enough to play from disk");
  const small = location();
  const contents = { ...small.contents!, settings: { ...small.contents!.settings, capBytes: 8 * 960 * 540 * 4 } };
  expect(answer({ tests, locations: [{ ...small, contents }] }).sentence).toBe(
    "Fast enough to play from disk, but there is room for 8 of 240 frames",
  );
});

test("a drive that was measured alone is no faster than the way from a place that was measured through and through", () => {
  const other: LocationView = { ...location(), id: "other", name: "…/other" };
  const apart = { ...drive, mount: "/media/other", locations: ["other"] };
  const both = { locations: [location(), other], drives: [drive, apart], formats: [trial("plain", 100 * MIB)] };
  const tests = [measured(400 * MIB), { ...measured(900 * MIB), mount: "/media/other" }];
  expect(placeOf(other, { ...both, tests })).toMatchObject({ readRate: 100 * MIB, isOfDriveAlone: true });
  expect(placeOf(location(), { ...both, tests })).toMatchObject({ readRate: 100 * MIB, isOfDriveAlone: false });
  const slow = [{ ...measured(30 * MIB), mount: "/media/other" }];
  expect(placeOf(other, { ...both, tests: slow }).readRate).toBe(30 * MIB);
  // Nothing is known of a drive that was not tested.
  expect(placeOf(other, { ...both, tests: [] }).readRate).toBeUndefined();
  // On the same drive what holds for one holds for the other.
  const shared = { ...both, drives: [{ ...drive, locations: ["main", "other"] }], tests: [measured(400 * MIB)] };
  expect(placeOf(other, shared).readRate).toBe(placeOf(location(), shared).readRate);
  expect(unmeasured(both).map(({ id }) => id)).toEqual(["other"]);
});

test("drives without a location that read clearly faster are found, the fastest first", () => {
  const bare = ["/a", "/b", "/c"].map((mount) => ({ ...drive, mount, locations: [] }));
  const tests = [
    { ...measured(600 * MIB), mount: "/a" },
    { ...measured(900 * MIB), mount: "/b" },
    { ...measured(410 * MIB), mount: "/c" },
    measured(2000 * MIB),
  ];
  const found = fasterDrives({ drives: [drive, ...bare], tests }, 400 * MIB);
  expect(found.map(({ mount }) => mount)).toEqual(["/b", "/a"]);
});

test("what speaks against the place is said, and another drive's tests say nothing", () => {
  expect(answer({ drives: [{ ...drive, kind: "spinning" }] }).detail).toBe(
    "…/cache: a spinning drive reads single frames slowly",
  );
  const elsewhere = { ...measured(400 * MIB), mount: "/elsewhere" };
  expect(answer({ tests: [elsewhere] }).sentence).toContain("is not measured yet");
  expect(answer({ locations: [] }).sentence).toContain("not listed");
  const gone: LocationView = {
    id: "main",
    name: "…/cache",
    holds: "frames",
    condition: { kind: "missing", detail: "/media/fast/cache is gone" },
  };
  expect(answer({ locations: [gone] })).toMatchObject({
    sentence: "The disk cache cannot be used now",
    detail: "/media/fast/cache is gone",
  });
});

test("a form that came back sooner only now and then is not called faster", () => {
  const inTurn = (packing: Packing, ...readRates: number[]) => ({ ...trial(packing, readRates[1]!), readRates });
  const plain = inTurn("plain", 100, 110, 105);
  expect(formsNote([plain, inTurn("packed", 160, 220, 190)])).toBe(
    "Read by turns 3 times, packed came back sooner each time, 2.0 times as fast. Automatic packing keeps it.",
  );
  expect(formsNote([plain, inTurn("packed", 50, 55, 52)])).toContain("plain came back sooner each time, 2.0 times");
  const noise = formsNote([plain, inTurn("packed", 101, 109, 130)]);
  expect(noise).toContain("the difference is noise. Automatic packing keeps packed, which takes less room.");
  expect(formsNote([plain])).toBe("");
});

test("the format in use is the one that is set", () => {
  const formats = [trial("plain", 100 * MIB), trial("packed", 160 * MIB), trial("automatic", 155 * MIB)];
  expect(formatInUse(location(), formats)?.packing).toBe("plain");
  expect(formatInUse(location({}, "packed"), formats)?.packing).toBe("packed");
  expect(formatInUse(location({}, "automatic"), formats)?.packing).toBe("automatic");
  expect(formatInUse({ ...location(), id: "other" }, formats)).toBeUndefined();
  const place = placeOf(location(), { locations: [], drives: [drive], tests: [measured(400 * MIB)], formats });
  expect(place).toMatchObject({ drive: "/media/fast", readRate: 100 * MIB, writeRate: 50 * MIB });
});

test("room is what the cap and the drive leave, the last gigabyte left alone", () => {
  expect(roomOf(location().contents)).toBe(20 * GIB);
  expect(roomOf(location({ bytes: 5 * GIB, holdingBytes: GIB, freeBytes: 3 * GIB }).contents)).toBe(7 * GIB);
  // Bakes stay; frames give way to them.
  // What waits beyond the cap takes none of it.
  const beyond = location({ bytes: 5 * GIB, holdingBytes: 2 * GIB, beyondCapBytes: GIB, freeBytes: 3 * GIB });
  expect(roomOf(beyond.contents)).toBe(7 * GIB);
  const baked = location({ bytes: 5 * GIB, holdingBytes: GIB, sequenceBytes: 2 * GIB, freeBytes: 3 * GIB });
  expect(roomOf(baked.contents)).toBe(7 * GIB);
  expect(roomOf(undefined)).toBe(0);
});

test("the forecast tells when a location is full, and what it cannot tell", () => {
  const growth = [
    { atMs: 0, bytes: 0 },
    { atMs: HOUR, bytes: GIB },
  ];
  expect(forecastText(location({ growth, bytes: GIB }).contents!, HOUR)).toBe("full in 19 days (est.)");
  expect(forecastText(location({ growth: [growth[0]!] }).contents!, 10)).toBe("growth not known yet");
  const still = growth.map(({ atMs }) => ({ atMs, bytes: GIB }));
  expect(forecastText(location({ growth: still, bytes: GIB }).contents!, HOUR)).toBe("not growing");
  expect(forecastText(location({ bytes: 20 * GIB }).contents!, HOUR)).toBe("full: frames are evicted");
});

test("a drive that got slower, and a figure that may not be the drive's, are told", () => {
  expect(testNote([])).toBe("not tested yet");
  expect(testNote([measured(400)])).toBe("");
  expect(testNote([measured(400), measured(100)])).toBe("slower than before: 25 % of its best");
  expect(testNote([measured(400, false)])).toContain("may come from the system's memory");
});

test("what else lives on a drive is what is neither free nor cached frames", () => {
  expect(contentsText(drive, GIB)).toBe("On it: 1.00 GB of cached frames, 149 GB of other files.");
  expect(contentsText({ ...drive, isSystem: true }, 0)).toContain("150 GB of other files, the system among them");
});

test("headroom reads as a multiple", () => {
  expect(headroomText(undefined)).toBe("not measured");
  expect(headroomText(1.849)).toBe("1.8 ×");
  expect(headroomText(Infinity)).toBe("ample");
});
