import type { RuleFile, SweepFolder } from "@kinetocache/core";
import type { DriveLog } from "../drives/driveLog";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import type { Jobs } from "../jobs/jobs";
import type { PlaceRegistry } from "../places/placeRegistry";
import type { Locations } from "../volumes/locations";
import { Briefing } from "./briefing";
import { Clients, type CompositionReport } from "./clients";
import { demoFolders } from "./demoFolders";
import type { DeskClient } from "./deskClient";
import { History } from "./history";
import { Holdings } from "./holdings";
import { OwnCaches } from "./ownCaches";
import { Preferences, type MarkChange } from "./preferences";
import { RegisteredFolders } from "./registeredFolders";
import { RuleRuns } from "./ruleRuns";
import { Scanning } from "./scanning";

export interface SweeperParts {
  /** Folder of the server's data. */
  readonly data: string;
  readonly registry: PlaceRegistry;
  readonly locations: Locations;
  readonly simulated: SimulatedDrives;
  readonly log: DriveLog;
  readonly jobs: Jobs;
}

/** All sweeping: of the product's own locations, and of the folders that the user registered. */
export class Sweeper {
  readonly own: OwnCaches;
  readonly scanning: Scanning;
  readonly holdings: Holdings;
  readonly rules: RuleRuns;
  private readonly briefing: Briefing;

  private constructor(
    private readonly parts: SweeperParts,
    readonly folders: RegisteredFolders,
    readonly history: History,
    readonly preferences: Preferences,
    readonly clients: Clients,
  ) {
    const { locations } = parts;
    this.own = new OwnCaches(locations, clients);
    const { own } = this;
    this.briefing = new Briefing({ ...parts, folders, preferences, own });
    const shared = { ...parts, folders, history, preferences, own, briefing: this.briefing };
    this.scanning = new Scanning(shared);
    this.holdings = new Holdings({ ...shared, scanning: this.scanning });
    this.rules = new RuleRuns({ ...shared, holdings: this.holdings });
  }

  static async open(parts: SweeperParts): Promise<Sweeper> {
    const { data, registry } = parts;
    const clients = await Clients.open(data);
    const folders = await RegisteredFolders.open(data, registry);
    return new Sweeper(parts, folders, await History.open(data), await Preferences.open(data), clients);
  }

  close(): Promise<void> {
    return this.desk.close();
  }

  /** The process that has the registered folders. */
  get desk(): DeskClient {
    return this.briefing.desk;
  }

  async changeRuleFile(rules: RuleFile): Promise<void> {
    await this.preferences.changeRuleFile(rules);
    await this.briefing.tellTerms();
  }

  /** Sets one mark, or takes it away. A folder that is kept has to be there. @throws Problem 400, 404, 409 */
  async changeMark(change: MarkChange): Promise<void> {
    const { mark, on } = change;
    if (on && mark.scope === "folder") await this.folders.checkInside(mark.place, mark.path);
    await this.preferences.changeMark(change);
    await this.briefing.tellTerms();
  }

  /** Takes what the page knows of compositions; those rules run that are for one that was just closed. */
  async tell(told: CompositionReport): Promise<void> {
    const closed = await this.clients.tell(told);
    if (closed !== undefined) await this.rules.run("closing a composition", closed);
  }

  async register(folder: string, projects: readonly string[]): Promise<SweepFolder> {
    const place = await this.folders.register(folder, projects);
    await this.briefing.tellPlaces();
    return place;
  }

  async setProjects(id: string, projects: readonly string[]): Promise<void> {
    await this.folders.setProjects(id, projects);
    await this.briefing.tellPlaces();
  }

  async unregister(id: string): Promise<void> {
    await this.folders.unregister(id);
    this.scanning.forget(id);
    await this.briefing.tellPlaces();
  }

  /** The demo's cache folders that are not registered, each with where its projects live. */
  async offered(): Promise<{ readonly folder: string; readonly projects: readonly string[] }[]> {
    const { caches, projects } = await demoFolders(this.parts.simulated);
    const taken = new Set(this.folders.all.map(({ folder }) => folder));
    return caches.filter((folder) => !taken.has(folder)).map((folder) => ({ folder, projects }));
  }

  /** Registers the demo's cache folders and goes through them, where nobody has registered or removed any yet. */
  async registerDemo(): Promise<void> {
    if (!this.folders.isNew) return;
    for (const { folder, projects } of await this.offered()) {
      const { id } = await this.register(folder, projects);
      this.scanning.scan(id, false);
    }
  }

  /** Folders that may be read: those that are swept, those where projects live, and those of source media. */
  get readable(): string[] {
    const media = this.parts.locations.folders().filter(({ holds }) => holds === "media");
    return [
      ...this.folders.all.flatMap(({ folder, projects }) => [folder, ...projects]),
      ...media.map((one) => one.folder),
    ];
  }

  /** Looks through all folders, then runs the rules. */
  async runTimetable(): Promise<void> {
    for (const { id } of this.folders.all) if (!this.scanning.isScanning(id)) await this.scanning.scan(id, false).ended;
    await this.rules.run("the timetable");
  }
}
