import type { Bytes, FolderReport } from "@kinetocache/core";
import { allDrives } from "../drives/allDrives";
import { REAL_MEDIUM } from "../drives/medium";
import type { SimulatedDrives } from "../drives/simulatedDrive";
import { Problem } from "../http/problem";
import type { JobControl, Jobs } from "../jobs/jobs";
import type { Briefing } from "./briefing";
import type { DeskReport, FoundFile } from "./desk";
import type { RegisteredFolders } from "./registeredFolders";
import type { ScanProgress } from "./scan";

// Longer ones are asked for, and told as a job.
const SHORT_SCAN_MS = 2000;
// Whoever looked at what would move, and neither moved nor left it, has left by then.
const DECIDING_MS = 5 * 60_000;

/** What a registered folder takes on its drive. */
interface Occupied {
  readonly taken: { bytes: Bytes };
  readonly leave: () => void;
}

interface ScanningParts {
  readonly briefing: Briefing;
  readonly folders: RegisteredFolders;
  readonly simulated: SimulatedDrives;
  readonly jobs: Jobs;
}

/** Goes through the registered folders, and knows how they are. */
export class Scanning {
  private readonly occupied = new Map<string, Occupied>();
  /** Folders that are gone through now. */
  private readonly scanning = new Set<string>();
  /** And those in which something changed. */
  private readonly catchingUp = new Map<string, Promise<void>>();
  /** When somebody last asked what would move. */
  private plannedMs = 0;

  constructor(private readonly parts: ScanningParts) {}

  /** Somebody decides on what is listed: until `decided`, or for some minutes, no folder is gone through by itself. */
  decide(): void {
    this.plannedMs = Date.now();
  }

  decided(): void {
    this.plannedMs = 0;
  }

  isScanning(id: string): boolean {
    return this.scanning.has(id);
  }

  /** A folder is registered no more. */
  forget(id: string): void {
    this.occupied.get(id)?.leave();
    this.occupied.delete(id);
  }

  /** The registered folders; as somebody looks, those in which something changed are gone through meanwhile. */
  async reports(): Promise<FolderReport[]> {
    if (this.parts.folders.all.length === 0) return [];
    // Frames may have been rendered since.
    await this.parts.briefing.tellPace();
    const reports = await this.parts.briefing.desk.call("report");
    for (const report of reports) this.occupy(report);
    // What is being decided on moves as it was shown, or stays because it changed.
    const isDecided = Date.now() - this.plannedMs > DECIDING_MS;
    for (const { id, isDue, scanTookMs = 0 } of reports)
      if (isDecided && isDue && scanTookMs < SHORT_SCAN_MS) this.catchUp(id);
    const drives = await allDrives(this.parts.folders.all, this.parts.simulated);
    return reports.map((report) => {
      const place = this.parts.folders.get(report.id);
      const isThere = report.fault === undefined;
      const drive = isThere ? drives.find(({ locations }) => locations.includes(report.id)) : undefined;
      const forecast = drive && this.parts.folders.forecast(report.id, drive.freeBytes);
      return { ...report, ...place, drive: drive?.mount, freeBytes: drive?.freeBytes, forecast };
    });
  }

  /** What the registered folders take, by their path, as far as they were gone through. */
  sizes(): [string, Bytes][] {
    return this.parts.folders.all.flatMap(({ id, folder }): [string, Bytes][] => {
      const known = this.occupied.get(id);
      return known ? [[folder, known.taken.bytes]] : [];
    });
  }

  /** A simulated drive is as full as what lies on it says. */
  occupy({ id, totalBytes = 0, holdingBytes, scannedMs }: DeskReport): void {
    const known = this.occupied.get(id);
    // Until it was gone through, what is in it is nobody's.
    if (scannedMs === undefined && !known) return;
    const bytes = totalBytes + holdingBytes;
    if (known) known.taken.bytes = bytes;
    else {
      const medium = this.parts.simulated.of(this.parts.folders.get(id).folder) ?? REAL_MEDIUM;
      const taken = { bytes };
      this.occupied.set(id, { taken, leave: medium.occupy(() => taken.bytes) });
    }
  }

  /** Goes through a folder in which something changed, where that is done at once: it is no job. */
  private catchUp(id: string): void {
    if (this.scanning.has(id) || this.catchingUp.has(id)) return;
    const caughtUp = this.goThrough(id, false, () => Promise.resolve())
      .then(() => undefined)
      // What keeps it from being read is told of the folder.
      .catch((error: unknown) => console.warn(`${id} was not gone through: ${String(error)}`))
      .finally(() => this.catchingUp.delete(id));
    this.catchingUp.set(id, caughtUp);
  }

  /**
   * Goes through a folder, as a job.
   * @throws Problem 404, 409 when that is under way
   */
  scan(id: string, fresh: boolean): { readonly id: string; readonly ended: Promise<unknown> } {
    const { folder } = this.parts.folders.get(id);
    if (this.scanning.has(id)) throw new Problem(409, "scanning", `${folder} is being scanned already`);
    this.scanning.add(id);
    return this.parts.jobs.start(`Scanning ${folder}`, (control) => this.runScan(id, fresh, control), true);
  }

  private async runScan(id: string, fresh: boolean, { gate, report }: JobControl): Promise<string> {
    try {
      await this.catchingUp.get(id);
      const before = (await this.parts.briefing.desk.call("report")).find((one) => one.id === id)?.files ?? 0;
      const { files, items } = await this.goThrough(id, fresh, (at) => {
        report(before > 0 ? Math.min(0.99, at.files / before) : 0, scanText(at));
        return gate();
      });
      return `${files.toLocaleString("en")} files, of them ${items.toLocaleString("en")} cache items`;
    } finally {
      this.scanning.delete(id);
    }
  }

  private async goThrough(
    id: string,
    fresh: boolean,
    onProgress: (at: ScanProgress) => Promise<void>,
  ): Promise<DeskReport> {
    await this.parts.briefing.desk.call("beginScan", id, fresh);
    for (
      let at = await this.parts.briefing.desk.call("scanOn", id);
      at;
      at = await this.parts.briefing.desk.call("scanOn", id)
    )
      await onProgress(at);
    const found = (await this.parts.briefing.desk.call("report")).find((one) => one.id === id)!;
    this.occupy(found);
    await this.parts.folders.noteBytes(id, found.totalBytes ?? 0);
    // The list is there already; it is kept for the next start.
    this.parts.briefing.desk
      .call("saveScan", id)
      .catch((error: unknown) => console.warn(`The scan was not kept: ${String(error)}`));
    return found;
  }

  /**
   * All files below a folder, which need not be registered.
   * @param waits who waits for them: a job with all that is in it, or somebody who may leave
   * @throws Error when it cannot be read; what `gate` throws, or the reason of `signal`
   */
  async filesIn(folder: string, { gate, report, signal }: Partial<JobControl>): Promise<FoundFile[]> {
    const look = await this.parts.briefing.desk.call("beginLook", folder);
    try {
      for (;;) {
        await gate?.();
        signal?.throwIfAborted();
        const found = await this.parts.briefing.desk.call("lookOn", look);
        if (Array.isArray(found)) return found as FoundFile[];
        report?.(0, scanText(found as ScanProgress));
      }
    } finally {
      await this.parts.briefing.desk.call("endLook", look);
    }
  }
}

function scanText({ files, folders, bytes }: ScanProgress): string {
  return `${files.toLocaleString("en")} files in ${folders.toLocaleString("en")} folders, ${(bytes / 2 ** 30).toFixed(1)} GB`;
}
