import fc from "fast-check";
import { CAP_ORDERS, judge, type CleaningRule, type RuleAction } from "./cleaningRule";
import { ITEM_STATES, type SweepItem } from "./item";
import { ITEM_KINDS } from "./ruleFile";

const NOW = Date.UTC(2026, 4, 2, 12);
const DAY = 24 * 3600 * 1000;
const drives = new Map([
  ["a", { mount: "/a", freeBytes: 100 }],
  ["b", { mount: "/b", freeBytes: 5000 }],
]);

let serial = 0;
const item = (days: number, more: Partial<SweepItem> = {}): SweepItem => ({
  place: "a",
  id: String(serial++),
  kind: "frames",
  project: "",
  state: "idle",
  reason: "",
  bytes: 10,
  files: 1,
  usedMs: NOW - days * DAY,
  ...more,
});
const rule = (id: string, action: RuleAction, more: Partial<CleaningRule> = {}): CleaningRule => ({
  id,
  on: true,
  kinds: [],
  action,
  ...more,
});
const taken = (rules: readonly CleaningRule[], items: readonly SweepItem[], closed?: string) =>
  judge(rules, items, { drives, nowMs: NOW, closed })
    .filter(({ keptBy }) => keptBy === undefined)
    .map((verdict) => verdict.item);

test("an age takes what was unused for so long, to the day", () => {
  const items = [item(29.99), item(30), item(90)];
  expect(taken([rule("r", { kind: "age", days: 30 })], items)).toEqual(items.slice(1));
});

test("a cap takes what is over it, in its order, and no more", () => {
  const items = [item(5, { bytes: 10, rebuildMs: 9 }), item(9, { bytes: 30 }), item(1, { bytes: 20, rebuildMs: 2 })];
  const by = (order: (typeof CAP_ORDERS)[number], bytes = 45) =>
    taken([rule("r", { kind: "cap", bytes, order })], items).map(({ bytes: one }) => one);
  expect(by("least recently used")).toEqual([30]);
  expect(by("largest first")).toEqual([30]);
  expect(by("quickest to rebuild")).toEqual([20]);
  expect(by("least recently used", 25)).toEqual([30, 10]);
  expect(by("least recently used", 60)).toEqual([]);
});

test("a rule is for its kinds and its drive, and may wait until the drive has little room", () => {
  const items = [item(50), item(50, { place: "b" }), item(50, { kind: "logs" })];
  const age = { kind: "age", days: 30 } as const;
  expect(taken([rule("r", age, { kinds: ["logs"] })], items)).toEqual([items[2]]);
  expect(taken([rule("r", age, { drive: "/b" })], items)).toEqual([items[1]]);
  expect(taken([rule("r", age, { whenFreeBelow: 1000 })], items)).toEqual([items[0], items[2]]);
  expect(taken([rule("r", age, { on: false })], items)).toEqual([]);
});

test("what belongs to a composition goes when that is closed", () => {
  const items = [item(0, { owner: "night" }), item(0, { owner: "ring" })];
  expect(taken([rule("r", { kind: "close" })], items, "ring")).toEqual([items[1]]);
  expect(taken([rule("r", { kind: "close" })], items)).toEqual([]);
});

test("where two rules disagree the one that keeps wins, and both are named", () => {
  const old = item(40);
  const verdicts = judge(
    [
      rule("short", { kind: "age", days: 15 }),
      rule("long", { kind: "age", days: 60 }),
      rule("off", { kind: "never" }, { on: false }),
    ],
    [old],
    { drives, nowMs: NOW },
  );
  expect(verdicts).toEqual([{ item: old, takenBy: "short", keptBy: "long" }]);
});

const actions: fc.Arbitrary<RuleAction> = fc.oneof(
  fc.integer({ min: 1, max: 60 }).map((days) => ({ kind: "age", days }) as const),
  fc.record({ kind: fc.constant("cap" as const), bytes: fc.nat(200), order: fc.constantFrom(...CAP_ORDERS) }),
  fc.constantFrom({ kind: "close" } as const, { kind: "never" } as const),
);
const rules = fc.array(
  fc.record({
    id: fc.uuid(),
    on: fc.boolean(),
    kinds: fc.uniqueArray(fc.constantFrom(...ITEM_KINDS), { maxLength: 3 }),
    action: actions,
  }),
  { maxLength: 5 },
);
const items = fc.array(
  fc
    .record({
      kind: fc.constantFrom(...ITEM_KINDS),
      state: fc.constantFrom(...ITEM_STATES),
      place: fc.constantFrom("a", "b", "unknown"),
      owner: fc.constantFrom("night", undefined),
      bytes: fc.nat(50),
      days: fc.nat(90),
    })
    .map(({ days, ...more }) => item(days, more)),
  { maxLength: 30 },
);

test("no rule takes what is kept or in use, a backup that it does not name, or what another rule keeps", () => {
  fc.assert(
    fc.property(rules, items, (all, there) => {
      const verdicts = judge(all, there, { drives, nowMs: NOW, closed: "night" });
      expect(new Set(verdicts.map((one) => one.item)).size).toBe(verdicts.length);
      for (const { item: one, takenBy, keptBy } of verdicts) {
        const by = all.find(({ id }) => id === takenBy)!;
        expect(by.on).toBe(true);
        expect(["kept", "in use"]).not.toContain(one.state);
        if (one.kind === "backups") expect(by.kinds).toContain("backups");
        const keeps = all.some(
          ({ on, kinds, action }) =>
            on && action.kind === "never" && (kinds.length === 0 ? one.kind !== "backups" : kinds.includes(one.kind)),
        );
        if (keeps) expect(keptBy).toBeDefined();
      }
    }),
  );
});

test("turning on one more rule that keeps never makes more go", () => {
  fc.assert(
    fc.property(rules, items, (all, there) => {
      const keeper = rule("keeper", { kind: "never" }, { kinds: ["frames"] });
      const before = new Set(taken(all, there, "night"));
      for (const one of taken([...all, keeper], there, "night")) expect(before.has(one)).toBe(true);
    }),
  );
});
