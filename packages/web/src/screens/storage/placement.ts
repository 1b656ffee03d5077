import {
  BROWSER_LOCATION,
  type Assignment,
  type Drive,
  type DriveTest,
  type FormatTrial,
  type Place,
} from "@kinetocache/core";
import type { LocationView } from "../../data/locations";
import { roomOf } from "../../data/room";
import { formatInUse } from "../../data/trials";

/** All that is known of where frames and media can be. */
export interface Surroundings {
  readonly locations: readonly LocationView[];
  readonly drives: readonly Drive[];
  /** Oldest first. */
  readonly tests: readonly DriveTest[];
  /** With frames of the open composition at the preview's size. */
  readonly formats: readonly FormatTrial[];
}

/** The drive that a location is on; undefined for the browser, which does not say. */
export function driveOf({ id }: LocationView, drives: readonly Drive[]): Drive | undefined {
  return drives.find(({ locations }) => locations.includes(id));
}

/** A folder for frames at the top of a drive. */
export function folderOn({ mount }: Drive): string {
  const separator = mount.includes("\\") ? "\\" : "/";
  return mount.endsWith(separator) ? `${mount}kinetocache-frames` : `${mount}${separator}kinetocache-frames`;
}

/** Tests of one drive, oldest first. */
export function testsOf(tests: readonly DriveTest[], { mount }: Drive): DriveTest[] {
  return tests.filter((test) => test.mount === mount);
}

/**
 * A location as far as its fitness for a role goes. Rates are those of the slower of path and drive. Where only the drive
 * was measured, its way is taken to carry what that of another location on the same drive was measured to, or else the
 * fastest: what a drive does by itself is more than frames that come through the whole path.
 */
export function placeOf(location: LocationView, { drives, tests, formats, locations }: Surroundings): Place {
  const drive = driveOf(location, drives);
  const test = drive && testsOf(tests, drive).at(-1);
  const own = formatInUse(location, formats);
  const trials = locations.flatMap((one) => {
    const trial = one.id === BROWSER_LOCATION ? undefined : formatInUse(one, formats);
    return trial ? [{ trial, isOnSame: driveOf(one, drives)?.mount === drive?.mount }] : [];
  });
  const onSame = trials.filter(({ isOnSame }) => isOnSame);
  const others = (onSame.length > 0 ? onSame : test ? trials : []).map(({ trial }) => trial);
  const trial = own ?? others.sort((a, b) => b.readRate - a.readRate)[0];
  const roomBytes = roomOf(location.contents);
  return {
    id: location.id,
    name: location.name,
    drive: drive?.mount ?? location.id,
    kind: drive?.kind ?? "unknown",
    isSystem: drive?.isSystem ?? false,
    roomBytes,
    totalBytes: drive?.totalBytes ?? roomBytes,
    freeBytes: drive?.freeBytes ?? location.contents?.freeBytes ?? 0,
    readRate: slower(trial?.readRate, test?.readRate),
    writeRate: slower(trial?.writeRate, test?.writeRate),
    readWithMediaRate: slower(trial?.readRate, test?.readWithMediaRate),
    isOfDriveAlone: !own && test !== undefined,
    isMedia: location.holds === "media",
    isBrowser: location.id === BROWSER_LOCATION,
  };
}

/** Places for frames whose whole path was not measured with frames of the open composition. */
export function unmeasured({ locations, formats }: Pick<Surroundings, "locations" | "formats">): LocationView[] {
  return locations.filter(
    (location) =>
      location.holds === "frames" && location.condition.kind === "open" && formatInUse(location, formats) === undefined,
  );
}

/** Drives without a location that were measured to read clearly faster than a rate, the fastest first. */
export function fasterDrives({ drives, tests }: Pick<Surroundings, "drives" | "tests">, rate: number): Drive[] {
  const rateOf = (drive: Drive) => testsOf(tests, drive).at(-1)?.readRate ?? 0;
  return drives
    .filter((drive) => drive.locations.length === 0 && rateOf(drive) >= CLEARLY * rate)
    .sort((a, b) => rateOf(b) - rateOf(a));
}

const CLEARLY = 1.25;

function slower(a: number | undefined, b: number | undefined): number | undefined {
  return a === undefined ? b : b === undefined ? a : Math.min(a, b);
}

/** The roles that a location has, in words. */
export function rolesOf(id: string, assignment: Assignment): string[] {
  return Object.entries(assignment).flatMap(([role, location]) => (location === id ? [role] : []));
}
