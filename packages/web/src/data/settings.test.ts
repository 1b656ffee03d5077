import "fake-indexeddb/auto";
import { database } from "./database";
import { loadSettings, saveSettings } from "./settings";

Object.assign(globalThis, { navigator: { hardwareConcurrency: 6 } });

test("settings are those of last time, and what an earlier release did not have is at its default", async () => {
  const defaults = await loadSettings();
  expect(defaults.parallel).toBe(5);
  await saveSettings({ ...defaults, fraction: 0.25, parallel: 1 });
  expect(await loadSettings()).toEqual({ ...defaults, fraction: 0.25, parallel: 1 });
  await database.settings.put({ key: "preview", value: { fraction: 1, loop: false } });
  expect(await loadSettings()).toEqual({ ...defaults, fraction: 1, loop: false });
});
