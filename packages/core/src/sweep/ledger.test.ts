import fc from "fast-check";
import type { SweepItem } from "./item";
import { ledgerJson, ledgerTable } from "./ledger";
import { packItems, unpackItems } from "./packedItems";

const NOW = Date.UTC(2026, 4, 2, 12);
const PLACES = new Map([["main", "/cache/main"]]);
const item = (id: string, more: Partial<SweepItem> = {}): SweepItem => ({
  place: "main",
  id,
  kind: "frames",
  owner: "night",
  project: "Night Roost",
  state: "superseded",
  reason: "nothing shows it",
  bytes: 4096,
  files: 1,
  usedMs: Date.UTC(2026, 3, 1),
  rebuildMs: 12.4,
  ...more,
});

test("the ledger has a line an item, with its state and reason; what nothing can rebuild has no time", () => {
  const items = [item("x"), item("a/b.log", { place: "other", kind: "logs", rebuildMs: undefined, files: 3 })];
  const { names, rows } = ledgerTable(items, PLACES);
  expect(names.join()).toBe("project,kind,state,reason,bytes,files,lastUsed,rebuildMs,rebuildIsEstimate,place,item");
  expect(rows[0]!.join()).toBe(
    "Night Roost,frames,superseded,nothing shows it,4096,1,2026-04-01T00:00:00.000Z,12,false,/cache/main,x",
  );
  expect(rows[1]!.slice(5)).toEqual([3, "2026-04-01T00:00:00.000Z", "", false, "other", "a/b.log"]);
  const whole = JSON.parse(ledgerJson(items, PLACES, NOW)) as { items: { item: string }[] };
  expect(whole).toMatchObject({ format: "kinetocache-ledger", version: 2, made: "2026-05-02T12:00:00.000Z" });
  expect(whole.items.map((one) => one.item)).toEqual(["x", "a/b.log"]);
});

const text = fc.string({ unit: fc.constantFrom(..."abÄ ,\"'\n\r;=/") });

test("items come out of packing as they went in", () => {
  const some = fc.array(
    fc.record({
      id: text,
      owner: fc.option(text, { nil: undefined }),
      project: text,
      reason: text,
      kind: fc.constantFrom("frames", "logs", "backups"),
      state: fc.constantFrom("kept", "idle", "orphaned"),
      bytes: fc.nat(),
      rebuildMs: fc.option(fc.nat(), { nil: undefined }),
      isEstimate: fc.boolean(),
    }),
  );
  const same = { id: "a", project: "", reason: "", bytes: 0, rebuildMs: undefined, isEstimate: false };
  const unowned = { ...same, kind: "frames" as const, state: "idle" as const, owner: undefined };
  fc.assert(
    fc.property(some, (all) => {
      const items = all.map((one) => item(one.id, one as Partial<SweepItem>));
      // Not said and false are the same.
      expect(unpackItems(packItems("main", items)).map((one) => ({ isEstimate: false, ...one }))).toEqual(
        items.map((one) => JSON.parse(JSON.stringify(one)) as SweepItem),
      );
    }),
    { examples: [[[unowned, { ...unowned, owner: "" }]]] },
  );
});
