/** @jest-environment node */
import "fake-indexeddb/auto";
import { currentDocument, parseDocumentText, type Document } from "@kinetocache/core";
import { demoText } from "../../../../testing/documents";
import { database, type StoredDocument } from "./database";
import {
  addDemo,
  changeBeside,
  changed,
  choicesOf,
  documentBeside,
  exportDocument,
  FIRST_DOCUMENT,
  importDocument,
  readDocument,
  readDocuments,
  removeDocument,
  restoreDocument,
  saveDocument,
  type Change,
} from "./documents";

const DEMO = Object.fromEntries(
  ["night-roost", "flyway-titles", "ringing-station", "estuary-map"].map((id) => [
    id,
    () => Promise.resolve(JSON.parse(demoText(id)) as Document),
  ]),
);

async function changeDocument(id: string, revision: number, change: Change): Promise<StoredDocument> {
  const next = changed({ ...(await readDocument(id))!, revision }, change);
  await saveDocument(next);
  return next;
}

beforeEach(async () => {
  await Promise.all(database.tables.map((table) => table.clear()));
  await addDemo(DEMO);
});

const exposure = (value: number) => {
  const [main] = Object.values((JSON.parse(demoText("night-roost")) as { compositions: object }).compositions) as {
    layers: { id: string; effects: { id: string; kind: string }[] }[];
  }[];
  const graded = main!.layers.find((layer) => layer.effects.some(({ kind }) => kind === "grade"))!;
  const grade = graded.effects.find(({ kind }) => kind === "grade")!;
  return {
    kind: "edit",
    edit: { kind: "effectParameter", layer: graded.id, effect: grade.id, name: "exposure", value },
  } as const;
};

test("the demo ships as it is stored: valid, and of this version", () => {
  for (const id of Object.keys(DEMO)) expect(parseDocumentText(demoText(id))).toEqual(JSON.parse(demoText(id)));
});

test("the demo is added once, and its first composition is there", async () => {
  await addDemo(DEMO);
  expect((await database.documents.toArray()).map(({ id }) => id).sort()).toEqual([
    "estuary-map",
    "flyway-titles",
    "night-roost",
    "ringing-station",
  ]);
  expect((await readDocument(FIRST_DOCUMENT))?.name).toBe("Night Roost");
});

test("a demo composition that came with a later release is added; one that was removed stays away", async () => {
  await removeDocument("ringing-station");
  await database.documents.delete("flyway-titles");
  await database.settings.delete("demo");
  await addDemo(DEMO);
  expect((await database.documents.toArray()).map(({ id }) => id).sort()).toEqual([
    "estuary-map",
    "flyway-titles",
    "night-roost",
  ]);
});

test("what is chosen for layers, and bakes, are kept beside the history and survive edits and undo", async () => {
  const stored = await changeBeside(FIRST_DOCUMENT, ({ layers }) => ({ layers: { ...layers, pinned: ["reeds"] } }));
  const edited = await changeDocument(FIRST_DOCUMENT, stored.revision, exposure(1.2));
  const undone = await changeDocument(FIRST_DOCUMENT, edited.revision, { kind: "undo" });
  expect([edited.layers.pinned, undone.layers.pinned]).toEqual([["reeds"], ["reeds"]]);
  await expect(changeBeside("gone", () => ({}))).rejects.toThrow("no longer exists");
});

test("what is chosen for a layer counts while the layer is there, and again when undo has it back", async () => {
  const id = exposure(1).edit.layer;
  const chosen = { solo: [id], effectsOff: [], marked: ["sky"], pinned: [] };
  await changeBeside(FIRST_DOCUMENT, () => ({ layers: chosen }));
  const removed = await changeDocument(FIRST_DOCUMENT, 1, { kind: "edit", edit: { kind: "layerRemoved", layer: id } });
  expect(choicesOf(removed)).toEqual({ ...chosen, solo: [] });
  expect(choicesOf(await changeDocument(FIRST_DOCUMENT, 2, { kind: "undo" }))).toEqual(chosen);
});

test("every change raises the revision, and undo brings the state before it", async () => {
  const before = (await readDocument(FIRST_DOCUMENT))!;
  const edited = await changeDocument(FIRST_DOCUMENT, before.revision, exposure(1.2));
  expect(edited.revision).toBe(before.revision + 1);
  expect(currentDocument(edited.history)).not.toEqual(currentDocument(before.history));
  const undone = await changeDocument(FIRST_DOCUMENT, edited.revision, { kind: "undo" });
  expect(currentDocument(undone.history)).toEqual(currentDocument(before.history));
  const redone = await changeDocument(FIRST_DOCUMENT, undone.revision, { kind: "redo" });
  expect(currentDocument(redone.history)).toEqual(currentDocument(edited.history));
});

test("of two changes to the same revision one is stored and the other is refused", async () => {
  const { revision } = (await readDocument(FIRST_DOCUMENT))!;
  const results = await Promise.allSettled([1, 2].map((n) => changeDocument(FIRST_DOCUMENT, revision, exposure(n))));
  expect(results.map(({ status }) => status).sort()).toEqual(["fulfilled", "rejected"]);
  expect((await readDocument(FIRST_DOCUMENT))!.revision).toBe(revision + 1);
});

test("what is exported is imported unchanged, under an id of its own", async () => {
  const stored = (await readDocument(FIRST_DOCUMENT))!;
  const document = currentDocument(stored.history);
  const imported = await importDocument(exportDocument(document));
  expect(imported.id).toBe("night-roost-2");
  expect(currentDocument(imported.history)).toEqual({ ...document, id: "night-roost-2" });
  expect((await importDocument(exportDocument(document))).id).toBe("night-roost-3");
});

test("a composition is removed and brought back with its history, but the last one is never removed", async () => {
  const before = await changeDocument(FIRST_DOCUMENT, 1, exposure(1.2));
  expect((await documentBeside(FIRST_DOCUMENT)).id).toBe("estuary-map");
  const removed = await removeDocument(FIRST_DOCUMENT);
  expect((await database.documents.toArray()).map(({ id }) => id)).toEqual([
    "estuary-map",
    "flyway-titles",
    "ringing-station",
  ]);
  await restoreDocument(removed);
  expect(await readDocument(FIRST_DOCUMENT)).toEqual(before);
  await expect(restoreDocument(removed)).rejects.toThrow("Another composition has the id of Night Roost");
  expect((await readDocuments()).find(({ id }) => id === FIRST_DOCUMENT)).toEqual(before);
  await removeDocument(FIRST_DOCUMENT);
  await removeDocument("estuary-map");
  await removeDocument("flyway-titles");
  await expect(removeDocument("ringing-station")).rejects.toThrow("The only composition cannot be removed");
  expect(await database.documents.count()).toBe(1);
});

test("a bad file is refused and nothing is stored", async () => {
  await expect(importDocument("{")).rejects.toThrow("not JSON");
  await expect(importDocument(demoText("night-roost").replace('"duration": 240', '"duration": 0'))).rejects.toThrow(
    "duration",
  );
  expect(await database.documents.count()).toBe(4);
});
