import { closeSync, mkdirSync, openSync, rmSync, writeSync } from "node:fs";
import path from "node:path";
import { mountDrive, moveDrive, remountDrive, unmountDrive } from "../testing/mounts";

export const DRIVE_FAULTS = ["full", "read-only", "gone"] as const;
export type DriveFault = (typeof DRIVE_FAULTS)[number];

const SIZE = "48M";
const PIECE = Buffer.alloc(2 ** 16);

/** A small drive of its own that becomes full, can only be read, or is taken off, and is well again afterwards. */
export class FaultyDrive {
  private fault: DriveFault | undefined;

  private constructor(
    private readonly mount: string,
    private readonly away: string,
  ) {}

  /** @param folder where it is put @returns undefined where that is not allowed */
  static on(folder: string): FaultyDrive | undefined {
    const drive = new FaultyDrive(path.join(folder, "drive"), path.join(folder, "away"));
    mkdirSync(drive.mount);
    mkdirSync(drive.away);
    return mountDrive(drive.mount, SIZE) ? drive : undefined;
  }

  /** A folder on it, made. */
  folder(name: string): string {
    const folder = path.join(this.mount, name);
    mkdirSync(folder);
    return folder;
  }

  get isFailing(): boolean {
    return this.fault !== undefined;
  }

  private get ballast(): string {
    return path.join(this.mount, "ballast");
  }

  /** @returns whether it fails that way now: one that is being written to cannot be made read-only */
  fail(fault: DriveFault): boolean {
    this.heal();
    const failed =
      fault === "full"
        ? this.fill()
        : fault === "read-only"
          ? remountDrive(this.mount, "ro")
          : moveDrive(this.mount, this.away);
    if (failed) this.fault = fault;
    return failed;
  }

  private fill(): boolean {
    const file = openSync(this.ballast, "w");
    try {
      for (let free = true; free;) free = writeSync(file, PIECE) === PIECE.length;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ENOSPC") throw error;
    } finally {
      closeSync(file);
    }
    return true;
  }

  heal(): void {
    if (this.fault === "full") rmSync(this.ballast);
    if (this.fault === "read-only" && !remountDrive(this.mount, "rw")) throw new Error("It can still only be read");
    if (this.fault === "gone" && !moveDrive(this.away, this.mount)) throw new Error("It does not come back");
    this.fault = undefined;
  }

  remove(): void {
    this.heal();
    unmountDrive(this.mount);
  }
}
