import "fake-indexeddb/auto";
import { driftSince, parseSheet, type Hardware } from "@kinetocache/core";
import { SETTINGS } from "../../../../testing/engine";
import { database } from "./database";
import { changeMachineSettings, settingsOfSheet, sheetOf } from "./machine";

const hardware: Hardware = {
  installedBytes: 2 ** 35,
  cores: 8,
  processor: "Made-up 8",
  system: "Made-up OS",
  graphics: [],
};

test("a sheet of this machine is valid, and its settings are the ones in force", () => {
  const sheet = sheetOf({ name: "Before the update", hardware, adapters: [], settings: SETTINGS, machine: {} });
  expect(parseSheet(JSON.parse(JSON.stringify(sheet)))).toEqual(sheet);
  expect(settingsOfSheet(sheet.settings, SETTINGS)).toEqual(SETTINGS);
});

test("a graphics device of the browser is part of the machine: one that is gone has drifted", () => {
  const adapter = {
    choices: ["low-power" as const],
    name: "Made-up graphics",
    isSoftware: false,
    hasTimestamps: true,
    mostPictureBytes: 2 ** 30,
  };
  const parts = { name: "a", hardware, settings: SETTINGS, machine: {} };
  const drift = driftSince(sheetOf({ ...parts, adapters: [adapter] }), sheetOf({ ...parts, adapters: [] }));
  expect(drift).toEqual([
    { kind: "hardware", what: "graphics: Made-up graphics, in the browser", saved: "present", now: undefined },
  ]);
});

test("settings that were reset are told as drift, and the sheet puts them back", () => {
  const saved = sheetOf({ name: "a", hardware, adapters: [], settings: SETTINGS, machine: { keptFreeBytes: 2 ** 32 } });
  const reset = { ...SETTINGS, parallel: 1, window: { before: 0, after: 1 }, loop: false };
  const now = sheetOf({ name: "b", hardware, adapters: [], settings: reset, machine: { keptFreeBytes: 2 ** 32 } });
  expect(driftSince(saved, now).map(({ what }) => what)).toEqual(["parallel", "loop", "windowBefore", "windowAfter"]);
  expect(settingsOfSheet(saved.settings, reset)).toEqual(SETTINGS);
});

test("what a sheet knows and this application does not is left out; what it lacks stays as it is", () => {
  expect(settingsOfSheet({ parallel: 3, colourOfTheCase: "grey", window: 4 }, SETTINGS)).toEqual({
    ...SETTINGS,
    parallel: 3,
  });
});

test("machine settings change one by one", async () => {
  await changeMachineSettings({ keptFreeBytes: 5 });
  await changeMachineSettings({ chosen: "Tower" });
  expect((await database.settings.get("machine"))?.value).toEqual({ keptFreeBytes: 5, chosen: "Tower" });
});
