import { closeSync, openSync, readdirSync, readlinkSync, readSync, statSync } from "node:fs";
import type { Bytes } from "@kinetocache/core";

/** A process as it is now. Together, `pid` and `startedTicks` are never used twice while the system runs. */
export interface RunningProcess {
  readonly pid: number;
  readonly startedTicks: number;
  readonly parent: number;
  readonly uid: number;
  readonly name: string;
  /** Undefined where it may not be read; kernel threads have none. */
  readonly executable: string | undefined;
  /** Arguments that it was started with, the first one included; undefined where they may not be read. */
  readonly commandLine: string | undefined;
  /** Processor time so far, in ticks of a hundredth of a second. */
  readonly cpuTicks: number;
}

export const TICKS_A_SECOND = 100;
const PAGE: Bytes = 4096;
const KERNEL_THREADS = 2;

/** What does not change while a process runs. */
type Known = Pick<RunningProcess, "startedTicks" | "uid" | "executable" | "commandLine">;

/**
 * Runs `read`; undefined when the process has ended meanwhile or may not be looked at, and for a path that is longer than
 * the system can say. A process that is gone is the ordinary case here, not a fault.
 */
export function ifReadable<T>(read: () => T): T | undefined {
  try {
    return read();
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (
      code === "ENOENT" ||
      code === "ESRCH" ||
      code === "EACCES" ||
      code === "EPERM" ||
      code === "EINVAL" ||
      code === "ENAMETOOLONG"
    )
      return undefined;
    throw error;
  }
}

// One buffer for all: reading hundreds of small files every two seconds should leave nothing behind.
const buffer = Buffer.alloc(2 ** 20);

/** Text of a file of the kernel's; undefined as with `ifReadable`. */
function kernelFile(file: string): string | undefined {
  return ifReadable(() => {
    const descriptor = openSync(file, "r");
    try {
      let length = 0;
      // The kernel hands long files out a page at a time.
      for (let read = -1; read !== 0 && length < buffer.length; length += read)
        read = readSync(descriptor, buffer, length, buffer.length - length, null);
      return buffer.toString("latin1", 0, length);
    } finally {
      closeSync(descriptor);
    }
  });
}

// Kernel threads are looked for again after this many rounds: their numbers may be given to others.
const ROUNDS_BETWEEN = 15;

/** The processes of a Linux system, by its `/proc`. */
export class Processes {
  private readonly known = new Map<number, Known>();
  private readonly kernelThreads = new Set<number>();
  private rounds = 0;

  /** All processes but kernel threads. */
  list(): RunningProcess[] {
    const found: RunningProcess[] = [];
    if (this.rounds++ % ROUNDS_BETWEEN === 0) this.kernelThreads.clear();
    for (const entry of readdirSync("/proc")) {
      const pid = Number(entry);
      if (!Number.isInteger(pid) || this.kernelThreads.has(pid)) continue;
      const running = this.read(pid);
      if (running) found.push(running);
    }
    const alive = new Set(found.map(({ pid }) => pid));
    for (const pid of this.known.keys()) if (!alive.has(pid)) this.known.delete(pid);
    return found;
  }

  /** One process; undefined when there is none with this number. */
  read(pid: number): RunningProcess | undefined {
    const text = kernelFile(`/proc/${pid}/stat`);
    if (text === undefined) return undefined;
    // The name stands in brackets and may hold anything, brackets too.
    const close = text.lastIndexOf(")");
    const fields = text.slice(close + 2).split(" ");
    const field = (number: number) => Number(fields[number - 3]);
    const parent = field(4);
    if (pid === KERNEL_THREADS || parent === KERNEL_THREADS) this.kernelThreads.add(pid);
    const isZombie = fields[0] === "Z";
    if (isZombie || this.kernelThreads.has(pid)) return undefined;
    const startedTicks = field(22);
    const known = this.know(pid, startedTicks);
    if (!known) return undefined;
    const name = text.slice(text.indexOf("(") + 1, close);
    return { pid, parent, name, ...known, cpuTicks: field(14) + field(15) };
  }

  private know(pid: number, startedTicks: number): Known | undefined {
    const before = this.known.get(pid);
    if (before?.startedTicks === startedTicks) return before;
    const uid = ifReadable(() => statSync(`/proc/${pid}`).uid);
    if (uid === undefined) return undefined;
    const executable = ifReadable(() => readlinkSync(`/proc/${pid}/exe`))?.replace(/ \(deleted\)$/, "");
    const commandLine = executable === undefined ? undefined : commandLineOf(pid);
    const known = { startedTicks, uid, executable, commandLine };
    this.known.set(pid, known);
    return known;
  }
}

// Longer ones differ in what nobody reads.
const LONGEST_COMMAND = 2000;

function commandLineOf(pid: number): string | undefined {
  const text = kernelFile(`/proc/${pid}/cmdline`);
  return text?.replace(/\0+$/, "").replaceAll("\0", " ").slice(0, LONGEST_COMMAND);
}

/** Memory that only this process has; undefined where that may not be read. */
export function unsharedBytes(pid: number): Bytes | undefined {
  const text = kernelFile(`/proc/${pid}/smaps_rollup`);
  if (text === undefined) return undefined;
  let kibibytes = 0;
  for (const [, size] of text.matchAll(/^Private_\w+:\s+(\d+) kB/gm)) kibibytes += Number(size);
  return kibibytes * 1024;
}

/** Resident memory that is no file's and not shared on purpose: what stands in where unshared memory is not told. */
export function anonymousBytes(pid: number): Bytes {
  const text = kernelFile(`/proc/${pid}/statm`) ?? "0 0 0";
  const [, resident, shared] = text.split(" ").map(Number);
  return (resident! - shared!) * PAGE;
}

/** Files and sockets that a process holds open, as far as they may be seen. */
export function openFiles(pid: number): string[] {
  const folder = `/proc/${pid}/fd`;
  const entries = ifReadable(() => readdirSync(folder)) ?? [];
  return entries.flatMap((entry) => ifReadable(() => readlinkSync(`${folder}/${entry}`)) ?? []);
}

/** Whether the operating system started a process as a service of its own. */
export function isSystemService(pid: number): boolean {
  const text = kernelFile(`/proc/${pid}/cgroup`) ?? "";
  return pid === 1 || text.includes("/system.slice/") || text.includes("/init.scope");
}

/** The process at the other end of a connection over the loopback address; undefined when it cannot be found. */
export function processAtPort(port: number, candidates: readonly RunningProcess[]): RunningProcess | undefined {
  const table = kernelFile("/proc/net/tcp") ?? "";
  const own = `:${port.toString(16).toUpperCase().padStart(4, "0")}`;
  const line = table.split("\n").find((row) => row.trim().split(/\s+/)[1]?.endsWith(own));
  const inode = line?.trim().split(/\s+/)[9];
  if (!inode || inode === "0") return undefined;
  return candidates.find(({ pid }) => openFiles(pid).includes(`socket:[${inode}]`));
}

/** Whether a process runs under this number. */
export function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === "EPERM";
  }
}
