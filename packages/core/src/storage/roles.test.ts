import fc from "fast-check";
import { mediaRate, needsOf } from "./needs";
import { canHave, fitnessOf, OFFERED_ROLES, suggestRoles, type Assignment, type Place } from "./roles";

const GIB = 2 ** 30;
const MIB = 2 ** 20;

const place = (id: string, change: Partial<Place> = {}): Place => ({
  id,
  name: id,
  drive: id,
  kind: "solid state",
  isSystem: false,
  roomBytes: 100 * GIB,
  totalBytes: 500 * GIB,
  freeBytes: 200 * GIB,
  readRate: 500 * MIB,
  writeRate: 400 * MIB,
  readWithMediaRate: 300 * MIB,
  isMedia: false,
  isBrowser: false,
  ...change,
});

// At 50 %: 960 × 540 × 4 bytes × 24 a second.
const needs = needsOf(
  { width: 1920, height: 1080, rate: { numerator: 24, denominator: 1 }, duration: 240 },
  0.5,
  "8-bit",
  { bytes: 10 * MIB, rate: 2 * MIB },
);

test("what a composition asks of each role is worked out from its frames", () => {
  expect(needs["disk cache"]).toEqual({ readRate: 960 * 540 * 4 * 24, writeRate: 0, bytes: 960 * 540 * 4 * 240 });
  expect(needs["baked frames"].bytes).toBe(1920 * 1080 * 4 * 240);
  expect(needs.scratch).toMatchObject({ readRate: 0, writeRate: 1920 * 1080 * 4 * 24 });
  expect(mediaRate([{ bytes: 1000, frames: 50, rate: { numerator: 25, denominator: 1 } }])).toBe(500);
});

test("headroom is measured over needed, the margin included", () => {
  const { headroom, conflicts } = fitnessOf("disk cache", place("a"), needs["disk cache"], [], {});
  expect(headroom).toBeCloseTo((500 * MIB) / (1.2 * 960 * 540 * 4 * 24));
  expect(conflicts).toEqual([]);
  expect(fitnessOf("disk cache", place("a", { readRate: undefined }), needs["disk cache"], [], {}).headroom).toBe(
    undefined,
  );
});

test.each([
  ["spinning", "reads single frames slowly"],
  ["network", "shared with others"],
  ["removable", "may be gone"],
  ["memory", "gone after a restart"],
] as const)("a %s drive has that against it", (kind, words) => {
  const { conflicts, score } = fitnessOf("baked frames", place("a", { kind }), needs["baked frames"], [], {});
  expect(conflicts.join()).toContain(words);
  expect(score).toBeLessThan(fitnessOf("baked frames", place("a"), needs["baked frames"], [], {}).score);
});

test("the system's drive, the media's drive, a slow one and a full one are told", () => {
  const media = place("media", { isMedia: true, drive: "one" });
  const beside = place("a", {
    drive: "one",
    isSystem: true,
    roomBytes: MIB,
    freeBytes: GIB,
    readWithMediaRate: 20 * MIB,
  });
  const { headroom, conflicts } = fitnessOf("disk cache", beside, needs["disk cache"], [media, beside], {
    "source media": "media",
  });
  expect(headroom).toBeLessThan(1);
  expect(conflicts).toEqual([
    "the source media is read from the same drive",
    "the system is on the same drive, and suffers when it is full",
    "its drive is nearly full",
    "there is less room than all of it takes",
  ]);
});

test("suggested are a fast drive away from the media for the disk cache, and never what is not measured", () => {
  const places = [
    place("media", { isMedia: true, drive: "one" }),
    place("beside", { drive: "one", readWithMediaRate: 80 * MIB }),
    place("apart"),
    place("slow", { kind: "spinning", readRate: 90 * MIB, writeRate: 80 * MIB }),
    place("unknown", { readRate: undefined, writeRate: undefined }),
  ];
  const suggested = suggestRoles(places, needs, { "source media": "media", "disk cache": "slow" });
  expect(suggested.map(({ role }) => role)).toEqual(["disk cache", "baked frames"]);
  const cache = suggested.find(({ role }) => role === "disk cache")!;
  expect(cache.place.id).toBe("apart");
  expect(cache.why).toContain("not on the drive of the source media");
  expect(suggested.some(({ place: { id } }) => id === "unknown")).toBe(false);
});

test("one place that is not clearly worse than another is not left for it", () => {
  const two = [place("a", { readRate: 500 * MIB }), place("b", { readRate: 510 * MIB })];
  for (const id of ["a", "b"])
    expect(suggestRoles(two, needs, { "disk cache": id }).find(({ role }) => role === "disk cache")!.place.id).toBe(id);
});

const places = fc
  .array(
    fc.record({
      kind: fc.constantFrom("solid state", "spinning", "network", "removable", "memory", "unknown" as const),
      drive: fc.constantFrom("x", "y", "z"),
      isSystem: fc.boolean(),
      roomBytes: fc.integer({ min: 0, max: 20 * GIB }),
      readRate: fc.option(fc.integer({ min: MIB, max: 900 * MIB }), { nil: undefined }),
      writeRate: fc.option(fc.integer({ min: MIB, max: 900 * MIB }), { nil: undefined }),
      isMedia: fc.boolean(),
      isBrowser: fc.boolean(),
    }),
    { maxLength: 5 },
  )
  .map((list) => list.map((change, index) => place(String(index), change as Partial<Place>)));

test("a suggestion gives each role at most one place, and only one that may have it", () => {
  fc.assert(
    fc.property(places, (all) => {
      const suggested = suggestRoles(all, needs, {});
      expect(new Set(suggested.map(({ role }) => role)).size).toBe(suggested.length);
      for (const { role, place: chosen } of suggested) expect(canHave(role, chosen)).toBe(true);
      const possible = OFFERED_ROLES.filter((role) => role !== "source media" && all.some((one) => canHave(role, one)));
      expect(suggested.map(({ role }) => role)).toEqual(possible);
    }),
    { numRuns: 60 },
  );
});

test("no single change of a suggestion makes the sum of weighted fitness higher", () => {
  const weights = { "disk cache": 4, "baked frames": 3 } as const;
  // With room for everything, roles do not take it from each other, and the sum can be worked out role by role.
  fc.assert(
    fc.property(places, (some) => {
      const all = some.map((one) => ({ ...one, roomBytes: 900 * GIB, isMedia: false }));
      const suggested = suggestRoles(all, needs, {});
      const total = (assignment: Assignment) =>
        Object.entries(weights).reduce((sum, [role, weight]) => {
          const at = all.find(({ id }) => id === assignment[role as keyof typeof weights]);
          const need = needs[role as keyof typeof weights];
          return at ? sum + weight * fitnessOf(role as keyof typeof weights, at, need, all, {}).score : sum;
        }, 0);
      const assignment: Assignment = Object.fromEntries(suggested.map(({ role, place: at }) => [role, at.id]));
      for (const { role } of suggested)
        for (const other of all.filter((one) => canHave(role, one)))
          expect(total({ ...assignment, [role]: other.id })).toBeLessThanOrEqual(total(assignment) + 1e-9);
    }),
    { numRuns: 40 },
  );
});
