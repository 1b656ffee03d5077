import type { ListedMedia } from "@kinetocache/core";
import { filesNamed, isTimelineName, needsRate } from "./timelines";

const listed = (path: string): ListedMedia => ({ location: "flyway", path, bytes: 9, modifiedMs: 1 });
const files = ["day 1/Dawn.MP4", "day 2/reeds.mov", "day 2/geese.mp4", "day 3/geese.mp4"].map(listed);

test("a file is known by its name, whatever its case and its folder, and without its ending too", () => {
  const found = filesNamed(["dawn.mp4", "REEDS", "heron.mp4"], files);
  expect([...found].map(([name, { path }]) => [name, path])).toEqual([
    ["dawn.mp4", "day 1/Dawn.MP4"],
    ["REEDS", "day 2/reeds.mov"],
  ]);
});

test("a name that several files have is none of them: which is meant cannot be known", () => {
  expect(filesNamed(["geese.mp4"], files).size).toBe(0);
});

test("timelines are known by their names, and edit lists do not say their rate", () => {
  expect(["a.otio", "A.EDL", "a.json"].map(isTimelineName)).toEqual([true, true, false]);
  expect(["a.otio", "A.EDL"].map(needsRate)).toEqual([false, true]);
});
