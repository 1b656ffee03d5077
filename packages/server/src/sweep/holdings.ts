import {
  joinPlans,
  type Batch,
  type Bytes,
  type HeldItem,
  type HeldReport,
  type HistoryEntry,
  type PlacedBatch,
  type Selection,
  type Stayed,
  type SweepPlan,
} from "@kinetocache/core";
import { REAL_MEDIUM } from "../drives/medium";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import { Problem } from "../http/problem";
import type { Locations, OpenLocation } from "../volumes/locations";
import type { OverCap } from "../volumes/room";
import type { Briefing } from "./briefing";
import type { History } from "./history";
import { LOWER_CAP } from "./holding";
import type { OwnCaches } from "./ownCaches";
import type { RegisteredFolders } from "./registeredFolders";
import type { Scanning } from "./scanning";

interface HoldingsParts {
  readonly briefing: Briefing;
  readonly folders: RegisteredFolders;
  readonly history: History;
  readonly locations: Locations;
  readonly own: OwnCaches;
  readonly scanning: Scanning;
  readonly simulated: SimulatedDrives;
}

/** What is held of all places, own locations and registered folders, and how it gets there and leaves. */
export class Holdings {
  constructor(private readonly parts: HoldingsParts) {}

  async plan(selection: Selection): Promise<SweepPlan> {
    this.parts.scanning.decide();
    const { own, found } = this.divide(selection);
    const plans = own.map(({ location, ids }) => this.parts.own.plan(location, ids));
    if (found.length > 0) plans.push(await this.parts.briefing.desk.call("plan", found));
    return joinPlans(plans);
  }

  /**
   * Moves what is chosen to holding; what cannot go stays, with the reason.
   * @throws Problem 404 for a place that is not registered, 507 when a drive has no room for the list
   */
  async hold(selection: Selection, by: string): Promise<HeldReport> {
    const { own, found } = this.divide(selection);
    const reports: HeldReport[] = [];
    // What cannot be done in one place is done in the others, and said of that one.
    const faults: Error[] = [];
    const attempt = async (place: string, ids: readonly string[], work: () => Promise<HeldReport>) => {
      try {
        reports.push(await work());
      } catch (error) {
        faults.push(asActFault(error as NodeJS.ErrnoException, this.pathOf(place)));
        const reason = faults.at(-1)!.message;
        reports.push({ batches: [], skipped: ids.map((id) => ({ place, id, reason })) });
      }
    };
    for (const { location, ids } of own) await attempt(location.id, ids, () => this.parts.own.hold(location, ids, by));
    for (const one of found) await attempt(one.place, one.ids, () => this.parts.briefing.desk.call("hold", [one], by));
    if (faults.length > 0 && reports.every(({ batches }) => batches.length === 0)) throw faults[0]!;
    for (const { batches, skipped } of reports)
      for (const { place, ...batch } of batches) {
        const stayed = skipped.filter((one) => one.place === place).length;
        await this.note("swept", batch, this.pathOf(place), by, stayed);
      }
    this.parts.scanning.decided();
    return {
      batches: reports.flatMap(({ batches }) => batches),
      skipped: reports.flatMap(({ skipped }) => skipped),
    };
  }

  private divide(selection: Selection) {
    const own: { location: OpenLocation; ids: readonly string[] }[] = [];
    const found: { place: string; ids: readonly string[] }[] = [];
    for (const { place, ids } of selection) {
      if (this.parts.folders.all.some(({ id }) => id === place)) found.push({ place, ids });
      else own.push({ location: this.parts.locations.get(place), ids });
    }
    return { own, found };
  }

  /** All that waits in holding. */
  async holds(): Promise<PlacedBatch[]> {
    const own = this.parts.own.holds();
    return this.parts.folders.all.length === 0 ? own : [...own, ...(await this.parts.briefing.desk.call("holds"))];
  }

  async heldItems(batch: string): Promise<(HeldItem & { readonly number: number })[]> {
    const own = this.parts.own.holderOf(batch);
    if (own) return [...own.holding.itemsOf(batch)].map(([number, item]) => ({ number, ...item }));
    await this.find(batch);
    return this.parts.briefing.desk.call("heldItems", batch);
  }

  /** @returns what stayed in holding, with the reason @throws Problem 404 */
  async restore(id: string, numbers?: readonly number[]): Promise<readonly Stayed[]> {
    const { own: caches, scanning } = this.parts;
    const batch = await this.find(id);
    const own = caches.holderOf(id);
    const stayed = own
      ? await own.holding.restore(id, numbers)
      : await this.parts.briefing.desk.call("restore", batch.place, id, numbers);
    await this.noteRest("brought back", batch, stayed.length);
    // What is back is listed when it is found again.
    if (!own && !scanning.isScanning(batch.place)) await scanning.scan(batch.place, false).ended;
    return stayed;
  }

  /** Lets a batch, or a part of it, go for good. @returns what stayed, with the reason @throws Problem 404 */
  async empty(id: string, by: string, numbers?: readonly number[]): Promise<readonly Stayed[]> {
    const batch = await this.find(id);
    const own = this.parts.own.holderOf(id);
    const folder = this.pathOf(batch.place);
    const freeBefore = await this.freeBytes(folder);
    const stayed = own
      ? await own.holding.empty(id, numbers)
      : await this.parts.briefing.desk.call("empty", batch.place, id, numbers);
    if (!own) for (const report of await this.parts.briefing.desk.call("report")) this.parts.scanning.occupy(report);
    const freeAfter = await this.freeBytes(folder);
    await this.noteRest("emptied", { ...batch, by }, stayed.length, { freeBefore, freeAfter });
    return stayed;
  }

  /** Goes on with what was being let go when an interruption came. */
  async finishInterrupted(): Promise<void> {
    for (const { id, holding } of this.parts.locations.open())
      await holding.finish().catch((error: unknown) => console.warn(`${id}: ${String(error)}`));
    if (this.parts.folders.all.length > 0) await this.parts.briefing.desk.call("finish");
  }

  private async find(id: string): Promise<PlacedBatch> {
    const found = (await this.holds()).find((batch) => batch.id === id);
    if (!found) throw new Problem(404, "no-batch", `Holding has no batch ${id}`);
    return found;
  }

  /** What of a batch is gone from holding now. */
  private async noteRest(
    what: HistoryEntry["what"],
    before: PlacedBatch,
    skipped: number,
    measured: Partial<HistoryEntry> = {},
  ): Promise<void> {
    const left = (await this.holds()).find(({ id }) => id === before.id);
    const batch = {
      ...before,
      items: before.items - (left?.items ?? 0),
      files: before.files - (left?.files ?? 0),
      bytes: before.bytes - (left?.bytes ?? 0),
    };
    const by = what === "emptied" ? before.by : "you";
    await this.note(what, batch, this.pathOf(before.place), by, skipped, measured);
  }

  private note(
    what: HistoryEntry["what"],
    { id, items, files, bytes, projects }: Omit<Batch, "by" | "sweptMs" | "rebuildMs">,
    place: string,
    by: string,
    skipped: number,
    measured: Partial<HistoryEntry> = {},
  ): Promise<void> {
    const entry = {
      atMs: Date.now(),
      what,
      by,
      batch: id,
      place,
      items,
      files,
      bytes,
      projects: projects.slice(0, 20),
      skipped,
    };
    return this.parts.history.add({ ...entry, ...measured });
  }

  /**
   * Moves frames that a lower cap of a location has no room for to its holding, or notes that they go for good.
   * @throws Problem when the drive takes nothing
   */
  async giveUp(location: OpenLocation, keys: readonly string[], { frames, bytes, isHeld }: OverCap): Promise<void> {
    const { root } = location.volume;
    if (!isHeld) {
      const batch = { id: "cap", items: frames, files: frames, bytes, projects: [] };
      await this.note("emptied", batch, root, LOWER_CAP, 0);
      return;
    }
    const { batches, skipped } = await this.parts.own.giveUp(location, keys).catch((error: unknown) => {
      throw asActFault(error as NodeJS.ErrnoException, root);
    });
    for (const batch of batches) await this.note("swept", batch, root, LOWER_CAP, skipped.length);
  }

  private pathOf(place: string): string {
    const found = this.parts.folders.all.find(({ id }) => id === place);
    return found ? found.folder : this.parts.locations.get(place).volume.root;
  }

  private freeBytes(folder: string): Promise<Bytes> {
    return (this.parts.simulated.of(folder) ?? REAL_MEDIUM).freeBytes(folder);
  }
}

/** What kept a whole place from being swept. */
function asActFault(error: NodeJS.ErrnoException, folder: string): Error {
  switch (error.code) {
    case "ENOSPC":
    case "EDQUOT":
      return new Problem(
        507,
        "drive-full",
        `The drive of ${folder} is full: there is no room even for the list of what moves. Nothing of it was moved; free a little, or sweep less at once`,
      );
    case "EROFS":
      return new Problem(403, "read-only", `The drive of ${folder} can only be read; nothing of it was moved`);
    case "EACCES":
    case "EPERM":
      return new Problem(403, "not-writable", `${folder} may not be written; nothing of it was moved`);
    case "ENOENT":
      return new Problem(503, "missing", `${folder} is gone, with its drive or by itself; nothing of it was moved`);
    case "ENOTDIR":
      return new Problem(409, "not-a-folder", `${error.message}; nothing of ${folder} was moved`);
    default:
      return error;
  }
}
