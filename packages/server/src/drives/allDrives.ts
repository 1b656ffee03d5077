import type { Drive } from "@kinetocache/core";
import { listDrives, type Placed } from "./drives";
import type { SimulatedDrives } from "./simulatedDrive";

/** The machine's drives, then the simulated ones; each names which of some places are on it. */
export async function allDrives(places: readonly Placed[], simulated: SimulatedDrives): Promise<Drive[]> {
  const onReal = places.filter(({ folder }) => !simulated.of(folder));
  const made = simulated.drives.map((drive) =>
    drive.describe(places.flatMap(({ id, folder }) => (simulated.of(folder) === drive ? [id] : []))),
  );
  return [...(await listDrives(onReal)), ...(await Promise.all(made))];
}
