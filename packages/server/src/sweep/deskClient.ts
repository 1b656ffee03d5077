import { fork, type ChildProcess } from "node:child_process";
import { DESK_ENTRY, PROCESS_OPTIONS } from "../entries";
import { Problem } from "../http/problem";
import type { Desk } from "./desk";

type Methods = {
  [K in keyof Desk]: Desk[K] extends (...args: infer A) => infer R ? { args: A; result: Awaited<R> } : never;
};

export interface DeskCall {
  readonly method: keyof Desk;
  readonly args: readonly unknown[];
}

export type DeskReply = { readonly id: number } & (
  { readonly result: unknown } | { readonly error: { readonly message: string; readonly code?: string } }
);

interface Waiting {
  readonly resolve: (result: never) => void;
  readonly reject: (error: Error) => void;
}

type Ask = <K extends keyof Methods>(method: K, ...args: Methods[K]["args"]) => Promise<Methods[K]["result"]>;

/** The process that has the registered folders; started when it is first needed, and again when it has ended. */
export class DeskClient {
  private child: ChildProcess | undefined;
  /** Settled once the process knows what it works by. */
  private ready: Promise<void> | undefined;
  private readonly waiting = new Map<number, Waiting>();
  private next = 0;
  private isClosed = false;

  /** @param prepare tells a process that has just started what it works by */
  constructor(
    private readonly data: string,
    private readonly prepare: (ask: Ask) => Promise<void>,
  ) {}

  /** @throws what the desk throws, with its code; or Error when its process ended */
  readonly call: Ask = async (method, ...args) => {
    // It takes no more questions, though its end is not told yet.
    if (this.child?.connected === false) {
      this.child.kill("SIGKILL");
      this.end(this.child, null);
    }
    await (this.ready ??= this.start().catch((error: unknown) => {
      // The next question starts it once more.
      this.ready = undefined;
      this.child?.kill("SIGKILL");
      throw error;
    }));
    return this.send(method, ...args);
  };

  private readonly send: Ask = (method, ...args) => {
    const id = this.next++;
    return new Promise((resolve, reject) => {
      if (!this.child) throw this.ended();
      const refuse = ({ message }: Error) => {
        if (this.waiting.delete(id))
          reject(new Error(`The process that goes through folders took no question: ${message}`));
      };
      this.waiting.set(id, { resolve, reject });
      try {
        this.child.send({ id, method, args } satisfies DeskCall & { id: number }, (error) => error && refuse(error));
      } catch (error) {
        refuse(error as Error);
      }
    });
  };

  private async start(): Promise<void> {
    if (this.isClosed) throw this.ended();
    const child = fork(DESK_ENTRY, [this.data], {
      execArgv: [...PROCESS_OPTIONS],
      serialization: "advanced",
      stdio: ["ignore", "inherit", "inherit", "ipc"],
    });
    this.child = child;
    child.on("message", (message) => this.take(message as DeskReply));
    child.once("exit", (code, signal) => this.end(child, signal ?? code));
    // It could not be started, or not be told anything.
    child.on("error", ({ message }) => {
      child.kill("SIGKILL");
      this.end(child, message);
    });
    await this.prepare(this.send);
  }

  private end(child: ChildProcess, how: string | number | null): void {
    if (this.child !== child) return;
    this.child = undefined;
    this.ready = undefined;
    for (const { reject } of this.waiting.values()) reject(this.ended(how));
    this.waiting.clear();
  }

  private ended(how: string | number | null = null): Error {
    if (this.isClosed) return new Problem(503, "closing", "The server is closing");
    return new Error(`The process that goes through folders ended${how === null ? "" : ` (${how})`}`);
  }

  private take(message: DeskReply): void {
    const waiting = this.waiting.get(message.id);
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
    if (child.exitCode !== null || child.signalCode !== null || child.pid === undefined) return;
    const ended = new Promise((resolve) => child.once("exit", resolve));
    child.kill("SIGKILL");
    await ended;
  }
}
