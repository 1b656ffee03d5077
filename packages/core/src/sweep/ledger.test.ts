import fc from "fast-check";
import { groupItems, type Owners } from "./item";
import { ledgerCsv, ledgerJson, type LedgerItem } from "./ledger";

const NOW = Date.UTC(2026, 4, 2, 12);
const owners = (name = "Night Roost"): Owners => ({
  names: new Map([["night", name]]),
  reachable: () => new Set(["a"]),
  marks: new Map(),
});
const item = (key: string, owner = "night"): LedgerItem => ({
  key,
  owner,
  location: "main",
  bytes: 4096,
  lastUsedMs: Date.UTC(2026, 3, 1),
  costMs: 12.5,
});

/** Fields of comma-separated values, by the rules of RFC 4180. */
function read(text: string): string[][] {
  const rows: string[][] = [[]];
  for (const [, quoted, plain, end] of text.matchAll(/(?:"((?:[^"]|"")*)"|([^",\r\n]*))(,|\r\n|$)/g)) {
    rows.at(-1)!.push(quoted === undefined ? plain! : quoted.replaceAll('""', '"'));
    if (end === "\r\n") rows.push([]);
  }
  return rows.slice(0, -1);
}

test("the ledger has a line an item, with its state and reason; what nothing can rebuild has no time", () => {
  const items = [item("a"), item("x"), item("q", "gone")];
  const [names, ...rows] = read(ledgerCsv(items, groupItems(items, owners(), NOW)));
  expect(names).toEqual(["key", "owner", "name", "state", "reason", "location", "bytes", "lastUsed", "rebuildMs"]);
  expect(rows).toHaveLength(3);
  expect(rows.find(([key]) => key === "x")).toEqual([
    "x",
    "night",
    "Night Roost",
    "superseded",
    "no state of Night Roost, undone ones included, shows it",
    "main",
    "4096",
    "2026-04-01T00:00:00.000Z",
    "12.5",
  ]);
  expect(rows.find(([key]) => key === "q")!.at(-1)).toBe("");
  const whole = JSON.parse(ledgerJson(items, groupItems(items, owners(), NOW), NOW)) as { items: { key: string }[] };
  expect(whole).toMatchObject({ format: "kinetocache-ledger", version: 1, made: "2026-05-02T12:00:00.000Z" });
  expect(whole.items.map(({ key }) => key).sort()).toEqual(["a", "q", "x"]);
});

test("whatever a composition is called, its lines are read back as they were", () => {
  const names = fc.string({ unit: fc.constantFrom(..."abÄ ,\"'\n\r;=") });
  fc.assert(
    fc.property(names, (name) => {
      const items = [item("a"), item("x")];
      const rows = read(ledgerCsv(items, groupItems(items, owners(name), NOW)));
      expect(rows.slice(1).map((row) => [row.length, row[2]])).toEqual([
        [9, name],
        [9, name],
      ]);
    }),
  );
});
