import { mkdirSync, utimesSync, writeFileSync } from "node:fs";
import path from "node:path";
import { DriveLog } from "../packages/server/src/drives/driveLog";
import { SimulatedDrives } from "../packages/server/src/drives/simulatedDrive";
import { REAL_MEDIUM } from "../packages/server/src/drives/medium";
import { PlaceRegistry } from "../packages/server/src/places/placeRegistry";
import { Jobs } from "../packages/server/src/jobs/jobs";
import { Sweeper } from "../packages/server/src/sweep/sweeper";
import { Locations } from "../packages/server/src/volumes/locations";
import { withFolder } from "./server";

/** A sweeper with nothing registered, in a folder of its own. */
export function withSweeper(
  use: (sweeper: Sweeper, locations: Locations, data: string) => Promise<void>,
): Promise<void> {
  return withFolder(async (folder) => {
    const data = path.join(folder, "data");
    mkdirSync(data);
    const registry = new PlaceRegistry(data);
    const locations = await Locations.open(data, () => REAL_MEDIUM, registry);
    const simulated = await SimulatedDrives.open("demo/drives", path.join(data, "drives"));
    const log = await DriveLog.open(data);
    const sweeper = await Sweeper.open({ data, registry, locations, simulated, log, jobs: new Jobs() });
    try {
      await use(sweeper, locations, folder);
    } finally {
      await sweeper.close();
      await locations.close();
    }
  });
}

const DAY_MS = 24 * 3600 * 1000;

/** Makes files below a folder, with the folders that they need. @param ageDays how long they have not been used */
export function makeFiles(folder: string, names: readonly string[], ageDays = 60): void {
  const when = (Date.now() - ageDays * DAY_MS) / 1000;
  for (const name of names) {
    const file = path.join(folder, name);
    mkdirSync(path.dirname(file), { recursive: true });
    writeFileSync(file, name);
    utimesSync(file, when, when);
  }
  const folders = new Set(names.map((name) => path.dirname(path.join(folder, name))));
  for (const one of folders) utimesSync(one, when, when);
}
