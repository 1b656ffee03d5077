import fc from "fast-check";
import type { SequenceState } from "../storage";
import {
  classify,
  frameItems,
  groupItems,
  isSweepable,
  ITEM_STATES,
  RECENT_MS,
  sequenceItems,
  type FrameItem,
  type OwnerMark,
  type Owners,
} from "./item";

const NOW = 1_800_000_000_000;
const owners = (open?: string, marks: readonly (readonly [string, OwnerMark])[] = []): Owners => ({
  names: new Map([
    ["night", "Night Roost"],
    ["ring", "Ringing Station"],
  ]),
  reachable: (owner) =>
    new Map((owner === "night" ? ["a", "b"] : ["c"]).map((key, frame) => [key, { frame, fraction: 0.5 }])),
  open: new Set(open === undefined ? [] : [open]),
  marks: new Map(marks),
});
const item = (key: string, owner: string, ageMs = 10 * RECENT_MS, bytes = 4096): FrameItem => ({
  key,
  owner,
  bytes,
  lastUsedMs: NOW - ageMs,
  costMs: 50,
});

test("the first state that applies is the item's, each with its reason", () => {
  expect(classify(item("a", "gone"), owners(), NOW)).toEqual({ state: "orphaned", reason: "its composition is gone" });
  expect(classify(item("x", "night", 0), owners("night"), NOW)).toEqual({
    state: "superseded",
    reason: "no state of Night Roost, undone ones included, shows it",
  });
  expect(classify(item("a", "night"), owners("night"), NOW)).toEqual({
    state: "in use",
    reason: "Night Roost is open",
  });
  expect(classify(item("c", "ring", RECENT_MS - 1), owners("night"), NOW).state).toBe("in use");
  expect(classify(item("c", "ring", RECENT_MS), owners("night"), NOW)).toEqual({
    state: "idle",
    reason: "Ringing Station can still show it",
  });
});

test("what a user keeps is kept before all else; what is delivered goes unless it is open", () => {
  const kept = owners("night", [
    ["night", "kept"],
    ["gone", "kept"],
    ["ring", "delivered"],
  ]);
  expect(classify(item("x", "night"), kept, NOW)).toEqual({ state: "kept", reason: "you keep all of Night Roost" });
  expect(classify(item("q", "gone"), kept, NOW).state).toBe("kept");
  expect(classify(item("c", "ring", 0), { ...kept, open: new Set(["ring"]) }, NOW).state).toBe("in use");
  expect(classify(item("c", "ring", 0), kept, NOW)).toEqual({
    state: "delivered",
    reason: "Ringing Station is delivered",
  });
  expect(classify(item("x", "ring"), kept, NOW).state).toBe("superseded");
});

test("nothing that is kept, or that a composition still shows and is not delivered, is ever sweepable", () => {
  const items = fc.record({
    key: fc.constantFrom("a", "b", "c", "x"),
    owner: fc.constantFrom("night", "ring", "gone"),
    ageMs: fc.nat(1e9),
  });
  const marks = fc.array(
    fc.tuple(fc.constantFrom("night", "ring", "gone"), fc.constantFrom<OwnerMark>("kept", "delivered")),
    { maxLength: 3 },
  );
  fc.assert(
    fc.property(items, fc.constantFrom("night", "ring", undefined), marks, ({ key, owner, ageMs }, open, said) => {
      const all = owners(open, said);
      const { state } = classify(item(key, owner, ageMs), all, NOW);
      const shows = all.names.has(owner) && all.reachable(owner).has(key);
      const mark = all.marks.get(owner);
      if (mark === "kept") expect(state).toBe("kept");
      else if (!shows) expect(isSweepable(state)).toBe(true);
      else expect(isSweepable(state)).toBe(state === "delivered" && mark === "delivered");
    }),
  );
});

test("groups hold every item once, with bytes, age and rebuild cost summed, the largest first", () => {
  const frames = [item("a", "night"), item("b", "night", 5), item("x", "night", 9, 8192 * 4), item("q", "gone")];
  const groups = groupItems(
    frameItems(
      frames.map((frame) => ({ ...frame, location: "main" })),
      owners("night"),
      NOW,
    ),
  );
  expect(groups.map(({ project, state, bytes, items }) => [project, state, bytes, items.map(({ id }) => id)])).toEqual([
    ["Night Roost", "superseded", 32768, ["x"]],
    ["Night Roost", "in use", 8192, ["a", "b"]],
    ["gone", "orphaned", 4096, ["q"]],
  ]);
  expect(groups[1]).toMatchObject({ rebuildMs: 100, usedMs: NOW - 5, files: 2, isEstimate: false });
  expect(groups[2]!.rebuildMs).toBeUndefined();
});

test("a baked sequence that no composition plays is orphaned; where nothing is known of that, it stays", () => {
  const base = { format: "kinetocache-sequence", version: 1, kind: "bake", name: "Sky", createdMs: NOW, bytes: 8192 };
  const sequence = (id: string) => ({ ...base, id, location: "main", stored: 12 }) as unknown as SequenceState;
  const states = (played?: ReadonlySet<string>) =>
    sequenceItems([sequence("a"), sequence("b")], played).map(({ state, files }) => [state, files]);
  expect(states(new Set(["a"]))).toEqual([
    ["in use", 12],
    ["orphaned", 12],
  ]);
  expect(states()).toEqual([
    ["idle", 12],
    ["idle", 12],
  ]);
});

test("backups are never sweepable by themselves, whatever their state", () => {
  for (const state of ITEM_STATES) expect(isSweepable(state, "backups")).toBe(false);
});

test("a frame that can still be shown says which one it is; others have only their key", () => {
  const frames = [item("b", "night"), item("x", "night"), item("c", "gone")].map((one) => ({
    ...one,
    location: "main",
  }));
  expect(frameItems(frames, owners(), NOW).map(({ id, shows }) => [id, shows])).toEqual([
    ["b", { frame: 1, fraction: 0.5 }],
    ["x", undefined],
    ["c", undefined],
  ]);
});
