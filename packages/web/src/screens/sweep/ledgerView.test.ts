import { groupItems, type SweepItem } from "@kinetocache/core";
import fc from "fast-check";
import {
  driveParts,
  EVERYTHING,
  filterItems,
  groupedRows,
  itemKey,
  plainRows,
  selectedShare,
  selectionOf,
  staleKeys,
  withItems,
} from "./ledgerView";
import { conflictText, goesText, itemText, rebuildText, ruleText } from "./sweepWords";

const NOW = Date.UTC(2026, 4, 2, 12);
const DAY = 24 * 3600 * 1000;
const PLACES = [
  { id: "main", path: "/cache/main", drive: "/", holdingBytes: 5, capBytes: 1000 },
  { id: "folder-1", path: "/mnt/caches", drive: "/mnt", holdingBytes: 0 },
];
const item = (id: string, more: Partial<SweepItem> = {}): SweepItem => ({
  place: "main",
  id,
  kind: "frames",
  owner: "night",
  project: "Night Roost",
  state: "idle",
  reason: "",
  bytes: 100,
  files: 1,
  usedMs: NOW - 10 * DAY,
  rebuildMs: 5,
  ...more,
});
const ITEMS = [
  item("a", { state: "superseded", bytes: 300 }),
  item("b"),
  item("c/heron.log", {
    place: "folder-1",
    kind: "logs",
    owner: undefined,
    project: "",
    state: "ownerless",
    bytes: 50,
  }),
  item("d", { place: "folder-1", project: "Flyway 102", owner: "flyway102", kind: "backups", usedMs: NOW - 60 * DAY }),
  item("e", { state: "kept", bytes: 7 }),
];
const ids = (items: readonly SweepItem[]) => items.map(({ id }) => id).join();

test.each([
  [{}, "a,b,c/heron.log,d,e"],
  [{ kind: "logs" }, "c/heron.log"],
  [{ state: "stale" }, "a,c/heron.log"],
  [{ state: "kept" }, "e"],
  [{ drive: "/mnt" }, "c/heron.log,d"],
  [{ project: "Flyway 102" }, "d"],
  [{ olderThanDays: 30 }, "d"],
  [{ largerThan: 100 }, "a"],
  [{ search: "HERON" }, "c/heron.log"],
  [{ search: "flyway", kind: "frames" }, ""],
] as const)("a filter of %j lists %s", (filter, listed) => {
  expect(ids(filterItems(ITEMS, { ...EVERYTHING, ...filter }, PLACES, NOW))).toBe(listed);
});

test("what is stale is selected by itself; backups and what is kept are not", () => {
  expect([...staleKeys(ITEMS)]).toEqual(["main/a", "folder-1/c/heron.log"]);
});

test("a selection of everything leaves out what is kept, and says what goes by place", () => {
  const all = withItems(new Set(), ITEMS, true);
  expect(all.has("main/e")).toBe(false);
  expect(selectionOf(ITEMS, all)).toEqual([
    { place: "main", ids: ["a", "b"] },
    { place: "folder-1", ids: ["c/heron.log", "d"] },
  ]);
  expect(selectedShare(ITEMS, all)).toBe("all");
  expect(selectedShare(ITEMS, withItems(all, [ITEMS[0]!], false))).toBe("some");
  expect(selectedShare([ITEMS[4]!], all)).toBe("none");
});

test("adding and taking away items keeps what else is selected", () => {
  const some = fc.subarray(ITEMS);
  fc.assert(
    fc.property(some, some, (first, second) => {
      const added = withItems(withItems(new Set<string>(), first, true), second, true);
      const left = withItems(added, second, false);
      for (const one of ITEMS) {
        const isIn = one.state !== "kept" && first.includes(one) && !second.includes(one);
        expect(left.has(itemKey(one))).toBe(isIn);
      }
    }),
  );
});

test("lines are sorted, and an open group is followed by its items", () => {
  const groups = groupItems(ITEMS);
  const names = (open: string[], column: "bytes" | "project", isDown: boolean) =>
    groupedRows(groups, new Set(open), { column, isDown }).map((row) => row.group?.project ?? `  ${row.item!.id}`);
  expect(names([], "bytes", true)).toEqual(["Night Roost", "Night Roost", "Flyway 102", "", "Night Roost"]);
  expect(names([groups[0]!.id], "project", true).slice(0, 2)).toEqual(["Night Roost", "  a"]);
  expect(ids(plainRows(ITEMS, { column: "usedMs", isDown: false }).map((row) => row.item!)).slice(0, 1)).toBe("d");
  const rebuild = plainRows([item("x"), item("y", { rebuildMs: undefined })], { column: "rebuildMs", isDown: true });
  expect(ids(rebuild.map((row) => row.item!))).toBe("y,x");
});

test("cached frames are listed by their number, of each size by itself, and found by it", () => {
  const frame = (key: string, at: number, fraction: number, bytes: number) =>
    item(key, { shows: { frame: at, fraction }, bytes });
  const unknown = item("u", { bytes: 35 });
  const frames = [
    unknown,
    frame("q", 12, 0.5, 9),
    frame("r", 3, 0.5, 30),
    frame("s", 5, 1, 20),
    frame("t", 101, 0.5, 40),
  ];
  const groups = groupItems(frames);
  const rows = groupedRows(groups, new Set([groups[0]!.id]), { column: "bytes", isDown: true });
  expect(rows.slice(1).map(({ item: one }) => itemText(one!))).toEqual([
    "Frame 5 at 100 %",
    "Frame 3 at 50 %",
    "Frame 12 at 50 %",
    "Frame 101 at 50 %",
    "u",
  ]);
  expect(ids(filterItems(frames, { search: "frame 12" }, PLACES, NOW))).toBe("q");
  expect(itemText(item("logs/heron.log"))).toBe("logs/heron.log");
});

test("a drive's bar adds up to the drive", () => {
  const drives = [
    { mount: "/", device: "disk", simulated: false, totalBytes: 2000, freeBytes: 900, usedBytes: 1000 },
    { mount: "/mnt", device: "Spinning drive", simulated: true, totalBytes: 500, freeBytes: 350, usedBytes: 150 },
    { mount: "/other", device: "x", simulated: false, totalBytes: 1, freeBytes: 1, usedBytes: 0 },
  ];
  const parts = driveParts(drives, PLACES, ITEMS);
  expect(parts.map(({ name, staleBytes, liveBytes, otherBytes }) => [name, staleBytes, liveBytes, otherBytes])).toEqual(
    [
      ["/", 300, 107, 588],
      ["Spinning drive", 50, 100, 0],
    ],
  );
  for (const { totalBytes, freeBytes, reservedBytes, otherBytes, liveBytes, staleBytes, holdingBytes } of parts)
    expect(freeBytes + reservedBytes + otherBytes + liveBytes + staleBytes + holdingBytes).toBe(totalBytes);
  expect(parts.map(({ reservedBytes }) => reservedBytes)).toEqual([100, 0]);
});

test("rules, their conflicts, rebuilding and the end of holding are said in words", () => {
  const base = { id: "r", on: true, kinds: [] };
  expect(ruleText({ ...base, action: { kind: "never" }, drive: "/mnt" })).toBe(
    "Everything but backups on /mnt never go",
  );
  expect(ruleText({ ...base, kinds: ["logs"], action: { kind: "age", days: 3 }, whenFreeBelow: 2 ** 30 })).toBe(
    "Logs unused for 3 days go while it has less than 1.00 GB free",
  );
  expect(
    ruleText({ ...base, kinds: ["frames"], action: { kind: "cap", bytes: 2 ** 31, order: "largest first" } }),
  ).toBe("Frames over 2.00 GB go, largest first");
  expect(conflictText([{ rule: "a", bytes: 2 ** 30 }], () => "Frames never go")).toBe(
    '1.00 GB stay: "Frames never go" keeps them',
  );
  expect([{}, { rebuildMs: 0 }, { rebuildMs: 61_000, isEstimate: true }].map(rebuildText)).toEqual([
    "cannot be rebuilt",
    "not needed",
    "61 s est.",
  ]);
  const settings = { emptyAfterDays: 7, rules: [], timetable: { on: false, hour: 3, everyDays: 1 } };
  expect(goesText(5 * DAY, settings)).toBe("goes in 2 days");
  expect(goesText(8 * DAY, settings)).toBe("goes within minutes");
  expect(goesText(0, { ...settings, emptyAfterDays: null })).toBe("stays until you empty it");
});
