import {
  Bakes,
  buildBakeGraph,
  buildGraph,
  frameKey,
  FULL_QUALITY,
  IN_MEMORY,
  NO_BAKES,
  ON_DISK,
  type Bake,
} from "@kinetocache/core";
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

describe("where a bake is played", () => {
  const bake = (change: Partial<Bake> = {}): Bake => ({
    id: "bake",
    target: { composition: "main", layer: "square" },
    range: { in: 2, out: 12 },
    fraction: 1,
    depth: "8-bit",
    packed: true,
    renderer: "cpu-1",
    location: "main",
    sequence: "stored",
    keys: Array.from({ length: 10 }, (_, at) => liveKey(2 + at)),
    complete: true,
    enabled: true,
    locked: false,
    ...change,
  });
  const liveKey = (frame: number, scale = 1) =>
    buildBakeGraph(moving(scale), { composition: "main", layer: "square" }, frame, {
      fraction: 1,
      depth: "8-bit",
      renderer: "cpu-1",
    }).liveKey;
  const bakedKey = (frame: number, bakes: Bakes) => buildGraph(moving(), frame, FULL_QUALITY, bakes).key;

  /** A timeline with one bake, over what is in memory and on disk. */
  function withBake(memory: Set<string>, change: Partial<Bake> = {}, disk: ReadonlySet<string> = new Set()) {
    const bakes = new Bakes([bake(change)]);
    const tiers = { inMemory: (held: string) => memory.has(held), onDisk: (held: string) => disk.has(held) };
    const timeline = new PreviewTimeline(moving(), FULL_QUALITY, bakes, new CostBook(), tiers);
    timeline.computeKeys(Infinity);
    const note = (of: string, held: boolean) => {
      if (held) memory.add(of);
      else memory.delete(of);
      timeline.mark(of, IN_MEMORY, held);
    };
    return { timeline, bakes, note };
  }

  test("a frame that is on disk live goes by what was rendered with the bake while that alone is in memory", () => {
    const { timeline, bakes, note } = withBake(new Set(), {}, new Set([key(3)]));
    const baked = bakedKey(3, bakes);
    expect([timeline.keyOf(3), timeline.residency[3]]).toEqual([key(3), ON_DISK]);
    note(baked, true);
    expect([timeline.keyOf(3), timeline.residency[3]]).toEqual([baked, IN_MEMORY]);
    note(key(3), true);
    expect([timeline.keyOf(3), timeline.residency[3]]).toEqual([key(3), IN_MEMORY | ON_DISK]);
    note(key(3), false);
    expect([timeline.keyOf(3), timeline.residency[3]]).toEqual([baked, IN_MEMORY]);
    note(baked, false);
    expect([timeline.keyOf(3), timeline.residency[3]]).toEqual([key(3), ON_DISK]);
  });

  test("frames that were cached live stay of use, until they are let go", () => {
    const { timeline, bakes, note } = withBake(new Set([key(1), key(3), key(4)]));
    expect([...timeline.residency].slice(0, 6)).toEqual([0, 1, 0, 1, 1, 0]);
    expect(timeline.keyOf(3)).toBe(key(3));
    expect(timeline.keyOf(5)).toBe(bakedKey(5, bakes));
    note(key(3), false);
    expect(timeline.keyOf(3)).toBe(bakedKey(3, bakes));
    note(bakedKey(3, bakes), true);
    expect([...timeline.residency].slice(0, 6)).toEqual([0, 1, 0, 1, 1, 0]);
    // It is found on disk, after all.
    note(key(5), true);
    expect([timeline.keyOf(5), timeline.residency[5]]).toEqual([key(5), IN_MEMORY]);
    expect(timeline.framesOf(bakedKey(5, bakes))).toEqual([]);
  });

  test("a locked bake that is out of date is played all the same; one that is up to date is as good as live", () => {
    const outdated = Array.from({ length: 10 }, (_, at) => liveKey(2 + at, 2));
    const locked = withBake(new Set([key(3)]), { locked: true, keys: outdated });
    expect(locked.timeline.keyOf(3)).toBe(bakedKey(3, locked.bakes));
    expect(withBake(new Set([key(3)]), { locked: true }).timeline.keyOf(3)).toBe(key(3));
  });
});
