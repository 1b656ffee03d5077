import { realpath } from "node:fs/promises";
import path from "node:path";
import type { PlaceUse } from "@kinetocache/core";
import PQueue from "p-queue";
import { isInside } from "../drives/drives";
import { Folder } from "../files/folder";
import { Problem } from "../http/problem";
import { systemFault } from "./systemFolders";

export interface TakenPlace {
  /** Path without links. */
  readonly folder: string;
  readonly use: PlaceUse;
}

const WORDS: Readonly<Record<PlaceUse, string>> = {
  swept: "which is swept",
  projects: "in which projects are looked for",
  frames: "which holds cached frames",
  media: "which holds source media",
  gathered: "into which a job was gathered",
};

/** Uses that may lie in each other: where both only read, or the one knows what of the other it leaves alone. */
const TOGETHER: Readonly<Record<PlaceUse, readonly PlaceUse[]>> = {
  swept: ["projects"],
  projects: ["swept", "projects", "media", "gathered"],
  frames: [],
  media: ["projects", "gathered"],
  gathered: ["projects", "media", "gathered"],
};

/** All folders that the application uses, so that none is used for two things that do not go together. */
export class PlaceRegistry {
  private readonly sources: (() => readonly TakenPlace[])[] = [];
  private readonly turns = new PQueue({ concurrency: 1 });

  /** @param data folder of the server's data, without links; in it only simulated drives may be used */
  constructor(private readonly data: string) {}

  /** @param source what is taken for something, now */
  add(source: () => readonly TakenPlace[]): void {
    this.sources.push(source);
  }

  /** All places that are taken now. */
  taken(): readonly TakenPlace[] {
    return this.sources.flatMap((source) => source());
  }

  /** Does what checks and takes places, one after the other: of two at once neither would see the other. */
  inTurn<T>(work: () => Promise<T>): Promise<T> {
    return this.turns.add(work);
  }

  /**
   * A folder that is there and may be used.
   * @param what name of the value, for the message @returns its path without links
   * @throws Problem 400, 403, 404, 409
   */
  async accept(folder: string, use: PlaceUse, what: string): Promise<string> {
    if (!path.isAbsolute(folder)) throw new Problem(400, "invalid", `${what}: "${folder}" is no full path`);
    const real = await realpath(folder).catch((error: NodeJS.ErrnoException) => {
      if (error.code === "EACCES") throw new Problem(403, "not-readable", `${what}: ${folder} may not be read`);
      throw new Problem(404, "no-folder", `${what}: there is no folder ${folder}`);
    });
    await this.check(real, use, what);
    await Folder.with(real, (root) => root.names()).catch((error: NodeJS.ErrnoException) => {
      if (error.code === "ENOTDIR") throw new Problem(400, "invalid", `${what}: ${real} is not a folder`);
      throw new Problem(403, "not-readable", `${what}: ${real} may not be read`);
    });
    return real;
  }

  /** @param real path without links, which need not be there yet @throws Problem 400, 409 */
  async check(real: string, use: PlaceUse, what: string): Promise<void> {
    const fault = await systemFault(real);
    if (fault !== undefined) throw new Problem(400, "invalid", `${what}: ${real} ${fault}`);
    if (overlap(real, this.data) && !this.isOnSimulatedDrive(real))
      throw new Problem(409, "overlaps", `${real} overlaps the application's own data in ${this.data}`);
    for (const taken of this.taken())
      if (overlap(real, taken.folder) && !TOGETHER[use].includes(taken.use))
        throw new Problem(
          409,
          "overlaps",
          `${real} overlaps ${taken.folder}, ${WORDS[taken.use]}; choose a folder beside it`,
        );
  }

  private isOnSimulatedDrive(real: string): boolean {
    const drives = path.join(this.data, "drives");
    return isInside(real, drives) && real !== drives;
  }
}

function overlap(a: string, b: string): boolean {
  return isInside(a, b) || isInside(b, a);
}
