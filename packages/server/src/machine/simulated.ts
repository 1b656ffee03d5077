import { readdir, readFile } from "node:fs/promises";
import path from "node:path";
import { parseSheetText, type MachineSheet } from "@kinetocache/core";

/** Machines that ship with the product as data files, to try things on without the hardware. */
export class SimulatedMachines {
  constructor(private readonly folder: string) {}

  /** @throws Error that names the file, when one cannot be read */
  async list(): Promise<MachineSheet[]> {
    const names = (await readdir(this.folder)).filter((name) => name.endsWith(".json")).sort();
    return Promise.all(
      names.map(async (name) => {
        try {
          return parseSheetText(await readFile(path.join(this.folder, name), "utf8"));
        } catch (cause) {
          throw new Error(`${name}: ${(cause as Error).message}`, { cause });
        }
      }),
    );
  }
}
