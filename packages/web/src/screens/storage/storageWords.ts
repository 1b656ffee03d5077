import {
  fillForecast,
  fitnessOf,
  formToKeep,
  playsFromDrive,
  READ_HEADROOM,
  slowedTo,
  soonerForm,
  type Assignment,
  type Drive,
  type DriveTest,
  type FormatTrial,
  type Needs,
  type Packing,
} from "@kinetocache/core";
import type { LocationContents } from "../../data/locations";
import { roomOf, usedBytes } from "../../data/room";
import { bytesText, durationText, framesText, percentText } from "../../parts/format";
import { formatInUse } from "../../data/trials";
import { placeOf, type Surroundings } from "./placement";

/** How frames come back at present, and how many there are. */
export interface Present {
  /** Bytes a second that they were read back with last; undefined where none was. */
  readonly readBack: number | undefined;
  readonly frames: number;
  /** Of one, at the preview's size. */
  readonly frameBytes: number;
}

export interface StorageAnswer {
  readonly sentence: string;
  readonly detail: string;
  /** Whether frames of the open composition were read back from there. */
  readonly isMeasured: boolean;
}

/** Where the disk cache is, whether that plays back in real time, and what speaks against the place. */
export function storageAnswer(
  surroundings: Surroundings,
  assignment: Assignment,
  needs: Needs,
  composition: string,
  present: Present,
): StorageAnswer {
  const location = surroundings.locations.find(({ id }) => id === assignment["disk cache"]);
  if (!location)
    return {
      sentence: "The location of the disk cache is not listed",
      detail: "Choose another below.",
      isMeasured: false,
    };
  if (location.condition.kind !== "open")
    return { sentence: "The disk cache cannot be used now", detail: location.condition.detail, isMeasured: false };
  const place = placeOf(location, surroundings);
  const places = surroundings.locations.map((one) => placeOf(one, surroundings));
  const need = needs["disk cache"];
  const { conflicts } = fitnessOf("disk cache", place, need, places, assignment);
  const where = conflicts.length > 0 ? `${location.name}: ${conflicts.join("; ")}` : location.name;
  if (place.readRate === undefined)
    return { sentence: "The disk cache is not measured yet", detail: where, isMeasured: false };
  const isPath = formatInUse(location, surroundings.formats) !== undefined;
  const reads = `${isPath ? "frames come back at" : "its drive reads"} ${bytesText(place.readRate)}/s`;
  const needed = `${composition} needs ${bytesText(READ_HEADROOM * need.readRate)}/s with its margin`;
  const isFast = playsFromDrive(place.readRate, need.readRate);
  // What really came back last counts more than what was measured apart.
  const isLate = present.readBack !== undefined && present.readBack < need.readRate;
  const lately = isLate ? `, lately ${bytesText(present.readBack!)}/s` : "";
  const stored = formatInUse(location, surroundings.formats)?.storedBytes ?? present.frameBytes;
  const fits = Math.floor(place.roomBytes / stored);
  const room = fits < present.frames ? `, but there is room for ${fits} of ${framesText(present.frames)}` : "";
  const sentence = isFast && !isLate ? `Fast enough to play from disk${room}` : "Too slow to play from disk";
  return { sentence, detail: `${reads}${lately}, ${needed}. ${where}`, isMeasured: isPath };
}

/** Which form came back sooner at a location, and what automatic packing therefore keeps. */
export function formsNote(trials: readonly FormatTrial[]): string {
  const of = (wanted: Packing) => trials.find(({ packing }) => packing === wanted);
  const [plain, packed] = [of("plain"), of("packed")];
  if (!plain || !packed) return "";
  const sooner = soonerForm(plain, packed);
  const kept = formToKeep(plain, packed);
  if (!sooner) {
    const less = plain.storedBytes === packed.storedBytes ? "" : ", which takes less room";
    return `Neither came back sooner each time: the difference is noise. Automatic packing keeps ${kept}${less}.`;
  }
  const [first, second] = sooner === "plain" ? [plain, packed] : [packed, plain];
  const times = (first.readRate / second.readRate).toPrecision(2);
  const rounds = plain.readRates.length;
  return `Read by turns ${rounds} times, ${sooner} came back sooner each time, ${times} times as fast. Automatic packing keeps it.`;
}

/** What is to be said of a drive's last test. */
export function testNote(tests: readonly DriveTest[]): string {
  const last = tests.at(-1);
  if (!last) return "not tested yet";
  const share = slowedTo(tests);
  const notes = [
    last.direct ? "" : "reads may come from the system's memory, not from the drive",
    share === undefined ? "" : `slower than before: ${percentText(share)} of its best`,
  ];
  return notes.filter(Boolean).join("; ");
}

/** What else lives on a drive. */
export function contentsText({ usedBytes: used, isSystem }: Drive, frameBytes: number): string {
  const others = Math.max(0, used - frameBytes);
  const system = isSystem ? ", the system among them" : "";
  return `On it: ${bytesText(frameBytes)} of cached frames, ${bytesText(others)} of other files${system}.`;
}

// Less room than this share of the cap is none.
const FULL_SHARE = 0.02;

/** When a location will be full at the present rate; an estimate. */
export function forecastText(contents: LocationContents, nowMs: number): string {
  const { growth, settings, bytes } = contents;
  const room = roomOf(contents) - bytes;
  if (room <= FULL_SHARE * settings.capBytes && usedBytes(contents) > 0) return "full: frames are evicted";
  const forecast = fillForecast([...growth, { atMs: nowMs, bytes }], room, nowMs);
  if (!forecast) return "growth not known yet";
  return forecast.fullAtMs === undefined ? "not growing" : `full in ${durationText(forecast.fullAtMs - nowMs)} (est.)`;
}

const KEEPS_UP = 100;

/** A multiple of what is needed. */
export function headroomText(headroom: number | undefined): string {
  if (headroom === undefined) return "not measured";
  return headroom >= KEEPS_UP ? "ample" : `${Number(headroom.toPrecision(2))} ×`;
}
