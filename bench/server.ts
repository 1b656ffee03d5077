import { execFile, spawnSync, type ChildProcess } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { promisify } from "node:util";
import { startedServer, type StartedServer } from "../testing/startedServer";
import { ifReadable } from "../packages/server/src/machine/processes";

/** What is known of a registered folder. */
export interface FolderReport {
  readonly id: string;
  readonly scannedMs?: number;
  readonly scanTookMs?: number;
  readonly files: number;
  readonly items: number;
}

/** A server without a browser. */
export class Server {
  private constructor(private readonly started: StartedServer) {}

  /** @param preload module that runs before it */
  static async start(data: string, preload?: string): Promise<Server> {
    return new Server(await startedServer(data, 0, preload));
  }

  get child(): ChildProcess {
    return this.started.child;
  }

  /** A request of sweeping. @throws Error with what the server says */
  ask<T>(target: string, method = "GET", body?: unknown): Promise<T> {
    return this.request<T>(`sweep/${target}`, method, JSON.stringify(body));
  }

  /** @param target below `/api/` @throws Error with what the server says */
  async request<T>(target: string, method = "GET", body?: BodyInit): Promise<T> {
    const { origin, cookie } = this.started;
    const type = typeof body === "string" ? "application/json" : "application/octet-stream";
    const headers = { origin, cookie, "content-type": type };
    const response = await fetch(`${origin}/api/${target}`, {
      method,
      headers,
      ...(body === undefined ? {} : { body }),
    });
    const text = await response.text();
    if (!response.ok) throw new Error(text);
    return (text === "" ? undefined : JSON.parse(text)) as T;
  }

  /** Takes all of an answer in a process of its own, and keeps nothing of it. @returns its length */
  async bytesOf(target: string): Promise<number> {
    const { origin, cookie } = this.started;
    const counts = `
      const response = await fetch(process.argv[1], { headers: JSON.parse(process.argv[2]) });
      if (!response.ok) throw new Error(await response.text());
      let bytes = 0;
      for await (const part of response.body) bytes += part.length;
      console.log(bytes);`;
    const headers = JSON.stringify({ origin, cookie });
    const args = ["--input-type=module", "-e", counts, `${origin}/api/${target}`, headers];
    return Number((await promisify(execFile)(process.execPath, args)).stdout);
  }

  async register(folder: string): Promise<string> {
    return (await this.ask<{ id: string }>("folders", "POST", { folder, projects: [] })).id;
  }

  /** @returns what the scan took */
  async scan(id: string, fresh: boolean): Promise<FolderReport> {
    const reportOf = async () => (await this.ask<FolderReport[]>("folders")).find((one) => one.id === id)!;
    const { job } = await this.ask<{ job: string }>(`folders/${id}/scan`, "POST", { fresh });
    // What changes is gone through by itself as well: only the end of the job says that it was this scan.
    for (;;) {
      const jobs = await this.request<{ id: string; state: string }[]>("jobs");
      const state = jobs.find((one) => one.id === job)?.state;
      if (state === "done") return reportOf();
      if (state === "failed") throw new Error("The scan failed");
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
  }

  /** Kills it with every process that it started, so that none of them can end in order. */
  async kill(): Promise<void> {
    if (this.child.exitCode !== null || this.child.signalCode !== null) return;
    const ended = new Promise((resolve) => this.child.once("exit", resolve));
    await killAll(this.processes());
    await ended;
  }

  /** Kills the processes that it started; it starts them again when it needs them. */
  killStarted(): Promise<void> {
    return killAll(this.processes().slice(1));
  }

  /** It, and what it started. */
  private processes(): string[] {
    const own = String(this.child.pid);
    const started = readdirSync(`/proc/${own}/task`).flatMap((task) =>
      readFileSync(`/proc/${own}/task/${task}/children`, "utf8").split(" ").filter(Boolean),
    );
    return [own, ...started];
  }

  /** Memory of the server and of the processes that it started; what they share is counted once. */
  memoryBytes(): number {
    const memoryOf = (pid: string) => {
      const text = ifReadable(() => readFileSync(`/proc/${pid}/smaps_rollup`, "utf8"));
      // One that has just ended has none.
      return 1024 * Number(/^Pss:\s+(\d+)/m.exec(text ?? "")?.[1] ?? 0);
    };
    return this.processes().reduce((sum, pid) => sum + memoryOf(pid), 0);
  }
}

async function killAll(pids: readonly string[]): Promise<void> {
  for (const pid of pids) process.kill(Number(pid), "SIGKILL");
  // Those that are still listed may be at a last call.
  while (pids.some(isAlive)) await new Promise((resolve) => setTimeout(resolve, 5));
}

/** One that has ended is listed until whoever started it has taken note. */
function isAlive(pid: string): boolean {
  const stat = ifReadable(() => readFileSync(`/proc/${pid}/stat`, "utf8"));
  return stat !== undefined && !/\) Z /.test(stat);
}

/** Runs in a folder of its own, which goes at the end. */
export async function withFolder<T>(use: (folder: string) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(path.join(tmpdir(), "kinetocache-bench-"));
  try {
    return await use(folder);
  } finally {
    // Of hundreds of thousands of files it takes a fraction of the time.
    spawnSync("rm", ["-rf", folder]);
    // The process that has the folders ends a moment after its server.
    await rm(folder, { recursive: true, force: true, maxRetries: 20, retryDelay: 100 });
  }
}
