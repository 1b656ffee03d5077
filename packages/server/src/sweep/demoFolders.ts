import { realpath } from "node:fs/promises";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import { Folder } from "../files/folder";

/** Names of the folders that the demo's caches and projects are in, as `npm run demo:caches` makes them. */
const DEMO_CACHES = "Flyway caches";
const DEMO_PROJECTS = "Flyway projects";

/** The demo's cache folders on simulated drives, by their real paths, and where the demo's projects live. */
export async function demoFolders({
  drives,
}: SimulatedDrives): Promise<{ readonly caches: readonly string[]; readonly projects: readonly string[] }> {
  const inside = await Promise.all(
    drives.map(async ({ folder }) => {
      const names = await Folder.with(folder, (drive) => drive.names());
      return names.map((name) => `${folder}/${name}`);
    }),
  );
  const named = (name: string) => inside.flat().filter((folder) => folder.endsWith(name));
  const caches = await Promise.all(named(DEMO_CACHES).map((folder) => realpath(folder)));
  return { caches, projects: named(DEMO_PROJECTS) };
}
