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

/** Tests of one drive, oldest first. */
export function testsOf(tests: readonly DriveTest[], { mount }: Drive): DriveTest[] {
  return tests.filter((test) => test.mount === mount);
}

/** What the format in use at a location was measured to do. */
export function formatInUse(location: LocationView, formats: readonly FormatTrial[]): FormatTrial | undefined {
  const packing = location.contents?.settings.packing;
  return formats.find((trial) => trial.location === location.id && trial.packing === packing);
}

/** A location as far as its fitness for a role goes. Rates are those of the slower of path and drive. */
export function placeOf(location: LocationView, { drives, tests, formats }: Surroundings): Place {
  const drive = driveOf(location, drives);
  const test = drive && testsOf(tests, drive).at(-1);
  const trial = formatInUse(location, formats);
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
    isMedia: location.holds === "media",
    isBrowser: location.id === BROWSER_LOCATION,
  };
}

function slower(a: number | undefined, b: number | undefined): number | undefined {
  return a === undefined ? b : b === undefined ? a : Math.min(a, b);
}

/** The roles that a location has, in words. */
export function rolesOf(id: string, assignment: Assignment): string[] {
  return Object.entries(assignment).flatMap(([role, location]) => (location === id ? [role] : []));
}
