import { frameKey, FULL_QUALITY, IN_MEMORY, NO_BAKES, ON_DISK } from "@kinetocache/core";
import { moving } from "../../../../testing/engine";
import { CostBook } from "./frameCosts";
import { PreviewTimeline } from "./previewTimeline";

const key = (frame: number, scale = 1) => frameKey(moving(scale), frame, FULL_QUALITY);

function open(scale = 1, memory: readonly string[] = [], disk: readonly string[] = []): PreviewTimeline {
  return new PreviewTimeline(moving(scale), FULL_QUALITY, NO_BAKES, new CostBook(), {
    inMemory: (held) => memory.includes(held),
    onDisk: (held) => disk.includes(held),
  });
}

test("keys are those of the frames, whichever is asked for first, and where each is held is known with its key", () => {
  const timeline = open(1, [key(3)], [key(3), key(5)]);
  expect(timeline.keyOf(7)).toBe(key(7));
  timeline.computeKeys(Infinity);
  expect(timeline.hasUnkeyed).toBe(false);
  for (let frame = 0; frame < 24; frame++) expect(timeline.keyOf(frame)).toBe(key(frame));
  expect([...timeline.residency].slice(3, 7)).toEqual([IN_MEMORY | ON_DISK, 0, ON_DISK, 0]);
  expect(timeline.isInMemory(3)).toBe(true);
  expect(timeline.isInMemory(5)).toBe(false);
});

test("sharpening has the key of the full size", () => {
  expect(open().keyAt(4, 1)).toBe(key(4));
});

test("without time no key is computed, and none twice", () => {
  const timeline = open();
  timeline.computeKeys(0);
  expect(timeline.hasUnkeyed).toBe(true);
  timeline.keyOf(0);
  expect(() => timeline.computeKeys(Infinity)).not.toThrow();
});

test("an edit is compared frame by frame: held before and not now is lost, held now is found again", () => {
  const before = open(1, [key(0), key(1), key(2)]);
  const after = open(2, [key(2, 2)], [key(9, 2)]);
  before.computeKeys(Infinity);
  after.computeKeys(Infinity);
  expect(after.compareWith(before)).toEqual({ lost: 2, regained: 2 });
  expect(before.compareWith(before)).toEqual({ lost: 0, regained: 0 });
});

test("an edit is compared as far as keys are known, and what was rendered since then was not found", () => {
  const before = open(1, [key(0), key(1), key(2)]);
  const after = open(2);
  before.computeKeys(Infinity);
  after.keyOf(0);
  after.keyOf(1);
  after.mark(key(1, 2), IN_MEMORY, true);
  expect(after.compareWith(before)).toEqual({ lost: 2, regained: 0 });
});

test("screens get a copy when something changed, and nothing otherwise", () => {
  const timeline = open();
  timeline.computeKeys(Infinity);
  const first = timeline.takeChanges()!;
  expect(timeline.takeChanges()).toBeUndefined();
  timeline.mark(key(4), IN_MEMORY, true);
  expect(first.residency[4]).toBe(0);
  expect(timeline.takeChanges()!.residency[4]).toBe(IN_MEMORY);
  timeline.mark(key(4), IN_MEMORY, false);
  expect(timeline.takeChanges()!.residency[4]).toBe(0);
});
