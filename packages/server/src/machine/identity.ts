import { readFileSync } from "node:fs";
import { hostname } from "node:os";
import { isRunning, Processes } from "./processes";

/** Names this machine, so that what is on a share can tell it from others. */
function machineId(): string {
  return textOf("/etc/machine-id") ?? hostname();
}

const run = crypto.randomUUID();

/** Names this run of the machine, from its start on; where the system does not tell, of this process. */
export function bootId(): string {
  return textOf("/proc/sys/kernel/random/boot_id") ?? run;
}

function textOf(file: string): string | undefined {
  try {
    return readFileSync(file, "latin1").trim() || undefined;
  } catch {
    return undefined;
  }
}

/** A process that no other is taken for: numbers are used again. */
export interface ProcessIdentity {
  readonly machine: string;
  readonly boot: string;
  readonly pid: number;
  /** When it started, in ticks of the system; undefined where it does not tell. */
  readonly startedTicks?: number;
}

export function ownIdentity(): ProcessIdentity {
  const startedTicks = new Processes().read(process.pid)?.startedTicks;
  const own = { machine: machineId(), boot: bootId(), pid: process.pid };
  return startedTicks === undefined ? own : { ...own, startedTicks };
}

/** Whether a process has certainly ended. Of one on another machine that cannot be said. */
export function hasEnded({ machine, boot, pid, startedTicks }: ProcessIdentity): boolean {
  if (machine !== machineId()) return false;
  if (boot !== bootId() || !isRunning(pid)) return true;
  const now = new Processes().read(pid)?.startedTicks;
  return startedTicks !== undefined && now !== undefined && startedTicks !== now;
}
