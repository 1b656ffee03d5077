import { cacheTroubles, playsFromDrive, slowedTo, type Drive, type DriveTest } from "@kinetocache/core";
import { bytesText, percentText } from "../../parts/format";

export interface DriveAnswer {
  readonly sentence: string;
  readonly detail: string;
}

/** Tests of one drive, oldest first. */
export function testsOf(tests: readonly DriveTest[], { mount }: Drive): DriveTest[] {
  return tests.filter((test) => test.mount === mount);
}

/** Where the cache sits, whether that plays back in real time, and what speaks against it. */
export function storageAnswer(
  drives: readonly Drive[],
  tests: readonly DriveTest[],
  neededRate: number,
  composition: string,
): DriveAnswer {
  const drive = drives.find(({ holdsCache }) => holdsCache);
  if (!drive) return { sentence: "The cache's drive is not listed", detail: "" };
  const last = testsOf(tests, drive).at(-1);
  const troubles = cacheTroubles(drive);
  const detail = troubles.length > 0 ? `${drive.mount}: ${troubles.join("; ")}` : `${drive.mount}, ${drive.kind}`;
  if (!last) return { sentence: "The cache's drive is not tested yet", detail };
  const needs = `reads ${bytesText(last.readRate)}/s, ${composition} needs ${bytesText(neededRate)}/s`;
  const sentence = playsFromDrive(last.readRate, neededRate)
    ? "Fast enough to play from disk"
    : "Too slow to play from disk";
  return { sentence, detail: `${needs}. ${detail}` };
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
