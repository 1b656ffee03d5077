import path from "node:path";
import type { Bytes, Program, ProgramTrait } from "@kinetocache/core";
import {
  anonymousBytes,
  isSystemService,
  openFiles,
  Processes,
  processAtPort,
  TICKS_A_SECOND,
  unsharedBytes,
  type RunningProcess,
} from "./processes";
import { desktopEntries, startupEntries } from "./startup";

/** A program with the processes that make it up: one that was started, and all that it started of its own kind. */
export interface WatchedProgram extends Omit<Program, "mark"> {
  readonly members: readonly RunningProcess[];
  /** What a mark stays with: the executable and what it was started with. */
  readonly markedAs: string;
}

interface Memory {
  readonly bytes: Bytes;
  readonly measured: boolean;
  /** When it may be summed up again. */
  readonly againMs: number;
}

// Processor shares are averages over this long.
const AVERAGE_MS = 6000;
// Summing up a large process takes the kernel tens of milliseconds, so that only this much is begun in one round, and
// none again before some seconds have passed: the more, the longer it took. Those that have waited longest come first.
const MEMORY_MS = 3;
const MEMORY_AGAIN_MS = 8000;
// No process is summed up for more than this share of a core: of a browser there are many, and each takes 15 ms.
const MEMORY_SHARE = 1 / 2500;
// Users below this number are the system's own.
const FIRST_PERSON = 1000;
const OWN = "this application";
const DEVICES: readonly (readonly [string, ProgramTrait])[] = [
  ["/dev/snd/", "audio"],
  ["/dev/dri/", "graphics"],
  ["/dev/input/", "input"],
];

const identity = ({ pid, startedTicks }: RunningProcess) => `${pid}:${startedTicks}`;

/** The process that started another one, as far as it is of the same kind. */
function rootOf(one: RunningProcess, byPid: ReadonlyMap<number, RunningProcess>): RunningProcess {
  const parent = byPid.get(one.parent);
  const isSame = parent && parent.uid === one.uid && parent.executable === one.executable && parent.pid !== one.pid;
  return isSame ? rootOf(parent, byPid) : one;
}

/** Follows the programs of a Linux machine from round to round. */
export class ProgramWatch {
  private readonly processes = new Processes();
  private readonly memory = new Map<string, Memory>();
  private readonly traits = new Map<string, readonly ProgramTrait[]>();
  private rounds: { readonly atMs: number; readonly ticks: ReadonlyMap<string, number> }[] = [];
  private readonly ownExecutables = new Set<string>();
  private readonly ownUid = process.getuid?.() ?? -1;
  private readonly entries = new Map(desktopEntries().map((entry) => [entry.command, entry]));
  private readonly startup = new Set(startupEntries().map(({ command }) => command));

  /** The browser at the other end of a connection belongs to this application. */
  addPage(port: number): void {
    const mine = this.processes.list().filter(({ uid }) => uid === this.ownUid);
    const browser = processAtPort(port, mine);
    if (browser?.executable) this.ownExecutables.add(browser.executable);
  }

  /** Looks at all processes once. */
  look(nowMs: number): WatchedProgram[] {
    const running = this.processes.list();
    const ticks = new Map(running.map((one) => [identity(one), one.cpuTicks]));
    const first = this.rounds.find(({ atMs }) => nowMs - atMs <= AVERAGE_MS) ?? this.rounds.at(-1);
    this.rounds = [...this.rounds.filter(({ atMs }) => nowMs - atMs <= AVERAGE_MS), { atMs: nowMs, ticks }];
    this.forget(ticks);
    this.measureMemory(running);
    const groups = new Map<string, RunningProcess[]>();
    const own = this.ownPids(running);
    const byPid = new Map(running.map((one) => [one.pid, one]));
    for (const one of running) {
      const isOwn = own.has(one.pid) || (one.executable !== undefined && this.ownExecutables.has(one.executable));
      const id = isOwn ? OWN : this.idOf(one, byPid);
      const group = groups.get(id);
      if (group) group.push(one);
      else groups.set(id, [one]);
    }
    const seconds = first ? (nowMs - first.atMs) / 1000 : 0;
    const share = (one: RunningProcess) => {
      // One that started since has spent all of its time since.
      const since = one.cpuTicks - (first?.ticks.get(identity(one)) ?? 0);
      return seconds > 0 ? since / TICKS_A_SECOND / seconds : 0;
    };
    return [...groups].map(([id, members]) => this.program(id, members, share));
  }

  /** Programs of other users are not told apart: nothing can be done to them. */
  private idOf(one: RunningProcess, byPid: ReadonlyMap<number, RunningProcess>): string {
    const kind = `${one.uid}:${one.executable ?? one.name}`;
    return one.uid === this.ownUid ? `${kind}:${rootOf(one, byPid).pid}` : kind;
  }

  private program(id: string, members: RunningProcess[], share: (one: RunningProcess) => number): WatchedProgram {
    const first = members.find(({ pid }) => id.endsWith(`:${pid}`)) ?? members[0]!;
    const { executable, uid, name } = first;
    const commandLine = uid === this.ownUid && id !== OWN ? first.commandLine : undefined;
    const memories = members.map((one) => this.memory.get(identity(one))!);
    const command = executable ? path.basename(executable) : name;
    return {
      id,
      name: id === OWN ? "Kinetocache and its browser" : (this.entries.get(command)?.name ?? command),
      executable,
      commandLine,
      markedAs: `${uid}:${executable ?? name}\n${commandLine ?? ""}`,
      processes: members.length,
      memoryBytes: memories.reduce((sum, { bytes }) => sum + bytes, 0),
      memoryMeasured: memories.every(({ measured }) => measured),
      processorShare: members.reduce((sum, one) => sum + share(one), 0),
      traits: id === OWN ? [OWN] : [...new Set(members.flatMap((one) => this.traitsOf(one)))],
      isOwn: uid === this.ownUid,
      members,
    };
  }

  /** This server with all that it started. */
  private ownPids(running: readonly RunningProcess[]): ReadonlySet<number> {
    const own = new Set([process.pid]);
    // Children have higher numbers than their parents, but for when the numbers start over.
    for (const { pid, parent } of [...running].sort((a, b) => a.pid - b.pid)) if (own.has(parent)) own.add(pid);
    return own;
  }

  private traitsOf(one: RunningProcess): readonly ProgramTrait[] {
    const known = this.traits.get(identity(one));
    if (known) return known;
    const traits = new Set<ProgramTrait>();
    const command = one.executable ? path.basename(one.executable) : one.name;
    const entry = this.entries.get(command);
    if (entry) traits.add("desktop program");
    if (entry?.categories.includes("FileTransfer")) traits.add("file transfer");
    if (entry?.categories.includes("Archiving")) traits.add("archiving");
    if (this.startup.has(command)) traits.add("starts by itself");
    const isForeign = one.uid !== this.ownUid && one.uid < FIRST_PERSON;
    if (isForeign || isSystemService(one.pid)) traits.add("system");
    const files = openFiles(one.pid);
    for (const [folder, trait] of DEVICES) if (files.some((file) => file.startsWith(folder))) traits.add(trait);
    this.traits.set(identity(one), [...traits]);
    return [...traits];
  }

  private measureMemory(running: readonly RunningProcess[]): void {
    const until = performance.now() + MEMORY_MS;
    const dueMs = (one: RunningProcess) => this.memory.get(identity(one))?.againMs ?? -Infinity;
    for (const one of [...running].sort((a, b) => dueMs(a) - dueMs(b))) {
      const startMs = performance.now();
      if (startMs < dueMs(one)) break;
      // A first, rough figure for everyone; then as many exact ones as there is time for.
      if (startMs < until) {
        const bytes = unsharedBytes(one.pid);
        const tookMs = performance.now() - startMs;
        this.memory.set(identity(one), {
          bytes: bytes ?? anonymousBytes(one.pid),
          measured: bytes !== undefined,
          againMs: startMs + Math.max(MEMORY_AGAIN_MS, tookMs / MEMORY_SHARE),
        });
      } else if (dueMs(one) === -Infinity) {
        this.memory.set(identity(one), { bytes: anonymousBytes(one.pid), measured: false, againMs: -1e9 });
      }
    }
  }

  private forget(alive: ReadonlyMap<string, number>): void {
    for (const kept of [this.memory, this.traits]) for (const key of kept.keys()) if (!alive.has(key)) kept.delete(key);
  }
}
