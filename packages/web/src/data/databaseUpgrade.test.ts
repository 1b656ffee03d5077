import "fake-indexeddb/auto";
import { currentDocument, mainComposition, parseDocument } from "@kinetocache/core";
import Dexie from "dexie";
import { document, layer } from "../../../../testing/documents";
import { database } from "./database";
import { readDocument } from "./documents";

test("compositions of the release before are brought to this one with their history, and nothing is lost", async () => {
  const now = document([layer("sky", "noise"), layer("plate", "solid")]);
  const state = (name: string) => {
    const { main } = now.compositions;
    const layers = main!.layers.map(({ start: _, ...rest }) => rest);
    return { ...now, version: 3, compositions: { main: { ...main!, name, layers } } };
  };
  const before = new Dexie("kinetocache");
  before.version(9).stores({ documents: "id", takes: "++id", settings: "key", sheets: "++id", media: "fingerprint" });
  const history = { states: [state("First"), state("Second")], position: 1 };
  await before.table("documents").add({ id: "main", name: "Second", revision: 7, history, layers: {}, bakes: [] });
  before.close();
  const stored = (await readDocument("main"))!;
  expect(stored).toMatchObject({ revision: 7, name: "Second", width: now.compositions.main!.width, sequences: [] });
  expect(await database.documents.get("main")).not.toHaveProperty("history");
  expect(stored.history.states.map((one) => mainComposition(one).name)).toEqual(["First", "Second"]);
  for (const one of stored.history.states) expect(parseDocument(one)).toEqual(one);
  expect(mainComposition(currentDocument(stored.history)).layers.map(({ start }) => start)).toEqual([0, 0]);
});
