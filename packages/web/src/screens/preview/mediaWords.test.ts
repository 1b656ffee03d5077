import { document, layer, referencedClip } from "../../../../../testing/documents";
import { clipsMatching, mediaRows, notFoundText } from "./mediaWords";

const clip = referencedClip(
  { width: 1920, height: 1080, rate: { numerator: 24_000, denominator: 1001 }, duration: 1440 },
  { name: "reel.mp4", bytes: 3 * 2 ** 30, group: 250 },
);
const FINGERPRINT = clip.file.fingerprint;
const shown = document([layer("one", "clip", { asset: "reel", offset: 0 })], { assets: { reel: clip } });
const places = { [FINGERPRINT]: { location: "reels", path: "day 1/reel.mp4", bytes: 1, modifiedMs: 1 } };
const folders = [{ id: "reels", folder: "/mnt/reels" }];

test("a file is told with what it is, how often it is shown, and where it lies", () => {
  expect(mediaRows(shown, {}, places, folders)).toEqual([
    {
      asset: "reel",
      file: clip.file,
      isNameOnly: false,
      uses: "1 layer",
      facts: "1920×1080 · 23.976 fps · 1,440 fr · 00:01:00:00 · H.264 · key frame every 250 · 3.00 GB",
      where: "/mnt/reels/day 1/reel.mp4",
      fault: undefined,
    },
  ]);
});

test("one of which only the name is known says so, and what it takes to be found", () => {
  const named = referencedClip({}, { name: "reel.mp4", bytes: 0 });
  const [row] = mediaRows({ ...shown, assets: { reel: named } }, {}, {}, []);
  expect(row).toMatchObject({ isNameOnly: true, facts: "known by its name alone, from a timeline" });
  expect(notFoundText(row!)).toMatch(/^One file of this name alone is needed/);
  expect(notFoundText({ isNameOnly: false })).toMatch(/^A file of the same content is needed/);
});

test("one that cannot be read says why, and one that nothing shows says that", () => {
  const unused = document([], { assets: { reel: clip } });
  const [row] = mediaRows(unused, { [FINGERPRINT]: "reel.mp4 was not found" }, {}, []);
  expect(row).toMatchObject({ uses: "not shown", where: "", fault: "reel.mp4 was not found" });
});

test("clips are found by any parts of their paths, whatever the case", () => {
  const file = (path: string) => ({ location: "reels", path, bytes: 1, modifiedMs: 1 });
  const all = [file("Day 1/Dawn.mp4"), file("Day 2/Dawn.mp4"), file("Day 2/dusk.mov")];
  expect(clipsMatching(all, "  ")).toBe(all);
  expect(clipsMatching(all, "dawn 2")).toEqual([all[1]]);
  expect(clipsMatching(all, "MOV")).toEqual([all[2]]);
  expect(clipsMatching(all, "noon")).toEqual([]);
});
