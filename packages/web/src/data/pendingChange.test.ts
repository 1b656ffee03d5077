/** @jest-environment node */
import "fake-indexeddb/auto";
import { currentDocument, type Document } from "@kinetocache/core";
import { demoText } from "../../../../testing/documents";
import { database } from "./database";
import { addDemo, changed, readDocument, saveDocument, type Change } from "./documents";
import { finishPending, forgetPending, notePending } from "./pendingChange";

const ID = "night-roost";
const adding = (name: string): Change => ({ kind: "edit", edit: { kind: "variantAdded", name } });
const DUSK = adding("Dusk");

function tabStorage(room = 1e6) {
  const entries = new Map<string, string>();
  return {
    getItem: (key: string) => entries.get(key) ?? null,
    setItem: (key: string, text: string) => {
      if (text.length > room) throw new DOMException("no room", "QuotaExceededError");
      entries.set(key, text);
    },
    removeItem: (key: string) => void entries.delete(key),
  };
}

const stored = async () => (await readDocument(ID))!;
const variants = async () => Object.values(currentDocument((await stored()).history).variants).map(({ name }) => name);

beforeEach(async () => {
  await Promise.all(database.tables.map((table) => table.clear()));
  await addDemo({ [ID]: () => Promise.resolve(JSON.parse(demoText(ID)) as Document) });
});

test("a change that was noted but not written is written by the next start, once", async () => {
  const tab = tabStorage();
  expect(notePending({ document: ID, revision: 2, change: DUSK }, tab)).toBe(true);
  await finishPending(tab);
  expect(await variants()).toContain("Dusk");
  await finishPending(tab);
  expect((await stored()).revision).toBe(2);
});

test("several are written in their order, and one that was forgotten is left out", async () => {
  const tab = tabStorage();
  const names = ["Dusk", "Night", "Late night"];
  for (const [at, name] of names.entries()) notePending({ document: ID, revision: 2 + at, change: adding(name) }, tab);
  // The first was written before the reload.
  await saveDocument(changed(await stored(), DUSK));
  forgetPending({ document: ID, revision: 2 }, tab);
  await finishPending(tab);
  expect((await variants()).slice(-3)).toEqual(names);
  expect((await stored()).revision).toBe(4);
});

test("it stays noted until it is written, and is given up when it cannot be made", async () => {
  const tab = tabStorage();
  const atForgetting: Promise<number>[] = [];
  const watched = {
    ...tab,
    removeItem: (key: string) => {
      atForgetting.push(stored().then(({ revision }) => revision));
      tab.removeItem(key);
    },
  };
  notePending({ document: ID, revision: 2, change: DUSK }, watched);
  await finishPending(watched);
  expect(await Promise.all(atForgetting)).toEqual([2]);

  const gone: Change = { kind: "edit", edit: { kind: "layerRemoved", layer: "not there" } };
  notePending({ document: ID, revision: 3, change: gone }, tab);
  await expect(finishPending(tab)).rejects.toThrow("not there");
  await finishPending(tab);
});

test("one that was written, given up, or overtaken by another tab is not made again", async () => {
  const tab = tabStorage();
  notePending({ document: ID, revision: 2, change: DUSK }, tab);
  await saveDocument(changed(await stored(), adding("Dawn")));
  await finishPending(tab);
  expect(await variants()).not.toContain("Dusk");

  notePending({ document: ID, revision: 3, change: DUSK }, tab);
  forgetPending({ document: ID, revision: 3 }, tab);
  await finishPending(tab);
  notePending({ document: "removed", revision: 3, change: DUSK }, tab);
  await finishPending(tab);
  expect((await stored()).revision).toBe(2);
});

test("one without room is said not to be noted", () => {
  expect(notePending({ document: ID, revision: 2, change: DUSK }, tabStorage(10))).toBe(false);
});
