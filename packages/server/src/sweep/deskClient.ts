import { fork, type ChildProcess } from "node:child_process";
import { fileURLToPath } from "node:url";
import { Problem } from "../http/problem";
import type { Desk } from "./desk";
import type { ScanProgress } from "./scan";

type Methods = {
  [K in keyof Desk]: Desk[K] extends (...args: infer A) => infer R ? { args: A; result: Awaited<R> } : never;
};

export interface DeskCall {
  readonly method: keyof Desk;
  readonly args: readonly unknown[];
}

export type DeskReply = { readonly id: number } & (
  | { readonly progress: ScanProgress }
  | { readonly result: unknown }
  | { readonly error: { readonly message: string; readonly code?: string } }
);

interface Waiting {
  readonly resolve: (result: never) => void;
  readonly reject: (error: Error) => void;
  readonly onProgress?: (progress: ScanProgress) => void;
}

const ENTRY = fileURLToPath(new URL("./deskProcess.ts", import.meta.url));

/** The process that has the registered folders; started when it is first needed, and again when it has ended. */
export class DeskClient {
  private child: ChildProcess | undefined;
  private readonly waiting = new Map<number, Waiting>();
  private next = 0;
  private isClosed = false;

  /** @param prepare tells a process that has just started what it works by */
  constructor(
    private readonly data: string,
    private readonly prepare: (desk: DeskClient) => Promise<void>,
  ) {}

  /** @throws what the desk throws, with its code; or Error when its process ended */
  async call<K extends keyof Methods>(method: K, ...args: Methods[K]["args"]): Promise<Methods[K]["result"]> {
    if (!this.child) {
      this.start();
      await this.prepare(this);
    }
    return this.send(method, args);
  }

  /** As `call`, of a process that is being prepared. */
  send<K extends keyof Methods>(
    method: K,
    args: readonly unknown[],
    onProgress?: (progress: ScanProgress) => void,
  ): Promise<Methods[K]["result"]> {
    const id = this.next++;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve, reject, onProgress });
      this.child!.send({ id, method, args } satisfies DeskCall & { id: number });
    });
  }

  async scan(root: string, fresh: boolean, onProgress: (progress: ScanProgress) => void): Promise<boolean> {
    await this.call("report");
    return this.send("scan", [root, fresh], onProgress);
  }

  private start(): void {
    if (this.isClosed) throw new Problem(503, "closing", "The server is closing");
    const child = fork(ENTRY, [this.data], {
      execArgv: ["--import", "tsx"],
      serialization: "advanced",
      stdio: ["ignore", "inherit", "inherit", "ipc"],
    });
    this.child = child;
    child.on("message", (message) => this.take(message as DeskReply));
    child.once("exit", (code, signal) => {
      if (this.child === child) this.child = undefined;
      const error = this.isClosed
        ? new Problem(503, "closing", "The server is closing")
        : new Error(`The process that goes through folders ended (${signal ?? code})`);
      for (const { reject } of this.waiting.values()) reject(error);
      this.waiting.clear();
    });
  }

  private take(message: DeskReply): void {
    const waiting = this.waiting.get(message.id);
    if ("progress" in message) {
      waiting?.onProgress?.(message.progress);
      return;
    }
    this.waiting.delete(message.id);
    if ("error" in message)
      waiting?.reject(Object.assign(new Error(message.error.message), { code: message.error.code }));
    else waiting?.resolve(message.result as never);
  }

  /** Ends the process, whatever it is at. */
  async close(): Promise<void> {
    this.isClosed = true;
    const { child } = this;
    if (!child) return;
    const ended = new Promise((resolve) => child.once("exit", resolve));
    child.kill("SIGKILL");
    await ended;
  }
}
