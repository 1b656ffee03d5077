import type { RebuildPace } from "@kinetocache/core";
import type { DriveLog } from "../drives/driveLog";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import { DeskClient } from "./deskClient";
import type { OwnCaches } from "./ownCaches";
import type { Preferences } from "./preferences";
import type { RegisteredFolders } from "./registeredFolders";

export interface BriefingParts {
  /** Folder of the server's data. */
  readonly data: string;
  readonly folders: RegisteredFolders;
  readonly preferences: Preferences;
  readonly own: OwnCaches;
  readonly simulated: SimulatedDrives;
  readonly log: DriveLog;
}

/** The process that has the registered folders, and what it has to know for its work. */
export class Briefing {
  readonly desk: DeskClient;
  /** Whether it was known when terms were told last how frames are rendered here. */
  private knowsPace = false;

  constructor(private readonly parts: BriefingParts) {
    this.desk = new DeskClient(parts.data, async (ask) => {
      await ask("setTerms", this.terms());
      await ask("setPlaces", this.places());
    });
  }

  /** Tells by which rules, marks and rates it works, if it has anything to work on. */
  async tellTerms(): Promise<void> {
    if (this.parts.folders.all.length > 0) await this.desk.call("setTerms", this.terms());
  }

  /** Tells which folders there are. */
  async tellPlaces(): Promise<void> {
    await this.desk.call("setTerms", this.terms());
    await this.desk.call("setPlaces", this.places());
  }

  /** Tells how frames are rendered here, once that is known. */
  async tellPace(): Promise<void> {
    if (!this.knowsPace && this.rebuildPace() !== undefined) await this.tellTerms();
  }

  private terms() {
    const { ruleFile, marks } = this.parts.preferences;
    const pace = this.rebuildPace();
    this.knowsPace = pace !== undefined;
    return { ruleFile, marks, ...(pace === undefined ? {} : { pace }) };
  }

  private places() {
    return this.parts.folders.all.map(({ id, folder, projects }) => {
      const isNominal = this.parts.simulated.of(folder) !== undefined;
      return { id, folder, projects, isNominal };
    });
  }

  /** Rendering frames, as they were rendered, and writing them, as the drives were measured. */
  private rebuildPace(): RebuildPace | undefined {
    const { renderPace } = this.parts.own;
    if (renderPace === undefined) return undefined;
    const writeRate = this.parts.log.all.at(-1)?.writeRate ?? Infinity;
    return { ...renderPace, rate: 1 / (1 / renderPace.rate + 1 / writeRate) };
  }
}
