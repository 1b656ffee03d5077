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
import { formatInUse, placeOf, type Surroundings } from "./placement";
import { contentsText, forecastText, headroomText, storageAnswer, testNote } from "./storageWords";

const GIB = 2 ** 30;
const MIB = 2 ** 20;
const HOUR = 3600 * 1000;

const drive: Drive = {
  mount: "/media/fast",
  device: "/dev/made-up1",
  kind: "solid state",
  totalBytes: 500 * GIB,
  freeBytes: 200 * GIB,
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
});

// 960 × 540 at 24 a second: 47.5 MB/s, and 57.0 with the margin.
const needs = needsOf(
  { width: 1920, height: 1080, rate: { numerator: 24, denominator: 1 }, duration: 240 },
  0.5,
  "8-bit",
  { bytes: 0, rate: 0 },
);

const answer = (change: Partial<Surroundings> = {}) =>
  storageAnswer(
    { locations: [location()], drives: [drive], tests: [], formats: [], ...change },
    { "disk cache": "main" },
    needs,
    "Night Roost",
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
  expect(forecastText(location({ growth, bytes: GIB }).contents!, HOUR)).toBe("full in 19 h (est.)");
  expect(forecastText(location({ growth: [growth[0]!] }).contents!, 10)).toBe("growth not known yet");
  const still = growth.map(({ atMs }) => ({ atMs, bytes: GIB }));
  expect(forecastText(location({ growth: still, bytes: GIB }).contents!, HOUR)).toBe("not growing");
  expect(forecastText(location({ bytes: 20 * GIB }).contents!, HOUR)).toBe("full: what goes first gives way");
});

test("a drive that got slower, and a figure that may not be the drive's, are told", () => {
  expect(testNote([])).toBe("not tested yet");
  expect(testNote([measured(400)])).toBe("");
  expect(testNote([measured(400), measured(100)])).toBe("slower than before: 25 % of its best");
  expect(testNote([measured(400, false)])).toContain("may come from the system's memory");
});

test("what else lives on a drive is what is neither free nor cached frames", () => {
  expect(contentsText(drive, GIB)).toBe("On it: 1.00 GB of cached frames, 299 GB of other files.");
  expect(contentsText({ ...drive, isSystem: true }, 0)).toContain("300 GB of other files, the system among them");
});

test("headroom reads as a multiple", () => {
  expect(headroomText(undefined)).toBe("not measured");
  expect(headroomText(1.849)).toBe("1.8 ×");
  expect(headroomText(Infinity)).toBe("ample");
});
