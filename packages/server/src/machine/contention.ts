import { readdirSync, readFileSync } from "node:fs";
import { availableParallelism } from "node:os";
import type { Milliseconds } from "@kinetocache/core";
import { ifReadable, processAtPort, Processes, TICKS_A_SECOND, type RunningProcess } from "./processes";

/** Processor time at one moment. */
interface Reading {
  readonly atMs: Milliseconds;
  /** Of all programs, and of the page's browser and this server; in ticks. */
  readonly allTicks: number;
  readonly ownTicks: number;
  /** Of each thread that is a page's worker: time on a processor, and time ready but without one; in nanoseconds. */
  readonly workers: ReadonlyMap<string, readonly [run: number, wait: number]>;
}

// Readings that are nearer to each other say little: a tick is a hundredth of a second.
const LEAST_MS: Milliseconds = 500;
// Others that take less of all cores than this do not count.
const LEAST_OTHERS = 0.05;
// How much a reading in which nobody else was at work counts against those before.
const NEWEST = 0.3;
// Of less work nothing is said.
const LEAST_RUN_NS = 20e6;
// What browsers call the threads of a page's workers, as long as the kernel lets a name be.
const WORKERS = new Set(["DedicatedWorker", "DOM Worker"]);

/**
 * How much of the time the workers of a page had a processor while they wanted one, on Linux, against what they have
 * when nobody else is at work: they wait for each other and for the page then too. The kernel counts for each thread
 * how long it ran and how long it was ready and waited (`schedstat`).
 */
export class Contention {
  private readonly processes = new Processes();
  private readonly browsers = new Set<string>();
  private readonly uid = process.getuid?.() ?? -1;
  /** The last connection at whose other end a browser was looked for: that goes through all open files. */
  private lookedAt: number | undefined;
  private before: Reading | undefined;
  private last = 1;
  /** What the workers had when nobody else was at work, as far as that was seen. */
  private alone: number | undefined;

  /**
   * Since the reading before. 1 where nobody else took the processor, or nothing was rendered.
   * @param port of the page's connection
   * @returns undefined where the system does not tell
   */
  read(port: number, nowMs: Milliseconds): number | undefined {
    if (process.platform !== "linux") return undefined;
    if (this.before && nowMs - this.before.atMs < LEAST_MS) return this.last;
    const now = this.look(port, nowMs);
    if (this.before) this.last = this.shareBetween(this.before, now);
    this.before = now;
    return this.last;
  }

  private shareBetween(before: Reading, now: Reading): number {
    const had = workersHad(before, now);
    if (had === undefined) return 1;
    if (othersHad(before, now) < LEAST_OTHERS) {
      this.alone = this.alone === undefined ? had : this.alone + NEWEST * (had - this.alone);
      return 1;
    }
    return Math.min(1, had / (this.alone ?? 1));
  }

  private look(port: number, atMs: Milliseconds): Reading {
    const all = this.processes.list();
    const mine = all.filter(({ uid }) => uid === this.uid);
    let browsers = mine.filter((one) => this.isBrowser(one));
    if (browsers.length === 0 && port !== this.lookedAt) {
      this.lookedAt = port;
      const browser = processAtPort(port, mine);
      if (browser?.executable) this.browsers.add(browser.executable);
      browsers = mine.filter((one) => this.isBrowser(one));
    }
    const own = [...browsers, ...mine.filter(({ pid, parent }) => pid === process.pid || parent === process.pid)];
    return {
      atMs,
      allTicks: allTicks(),
      ownTicks: own.reduce((sum, { cpuTicks }) => sum + cpuTicks, 0),
      workers: new Map(browsers.flatMap(({ pid }) => this.workersOf(pid))),
    };
  }

  private isBrowser({ executable }: RunningProcess): boolean {
    return executable !== undefined && this.browsers.has(executable);
  }

  private workersOf(pid: number): [string, readonly [number, number]][] {
    const folder = `/proc/${pid}/task`;
    const threads = ifReadable(() => readdirSync(folder)) ?? [];
    return threads.flatMap((thread): [string, readonly [number, number]][] => {
      const file = (name: string) => ifReadable(() => readFileSync(`${folder}/${thread}/${name}`, "latin1"))?.trim();
      const times = WORKERS.has(file("comm") ?? "") ? file("schedstat")?.split(" ").map(Number) : undefined;
      return times ? [[`${pid}:${thread}`, [times[0]!, times[1]!]]] : [];
    });
  }
}

/** Ticks that all processors were busy. */
function allTicks(): number {
  const [line] = readFileSync("/proc/stat", "latin1").split("\n", 1);
  const [user, nice, system, , , interrupts, soft, stolen] = line!.trim().split(/\s+/).slice(1).map(Number);
  return user! + nice! + system! + interrupts! + soft! + (stolen ?? 0);
}

/** Share of all processors that other programs had. */
function othersHad(before: Reading, now: Reading): number {
  const possible = ((now.atMs - before.atMs) / 1000) * TICKS_A_SECOND * availableParallelism();
  return (now.allTicks - before.allTicks - (now.ownTicks - before.ownTicks)) / possible;
}

/** Share of the time in which workers had a processor, of that in which they wanted one; undefined for too little work. */
function workersHad(before: Reading, now: Reading): number | undefined {
  let [run, wait] = [0, 0];
  for (const [id, [ran, waited]] of now.workers) {
    const [ranBefore, waitedBefore] = before.workers.get(id) ?? [ran, waited];
    run += ran - ranBefore;
    wait += waited - waitedBefore;
  }
  return run < LEAST_RUN_NS ? undefined : run / (run + wait);
}
