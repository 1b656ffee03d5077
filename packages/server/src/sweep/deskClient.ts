import { fork, type ChildProcess } from "node:child_process";
import { createBirpc, type BirpcReturn } from "birpc";
import { DESK_ENTRY, PROCESS_OPTIONS } from "../entries";
import { Problem } from "../http/problem";
import type { Desk } from "./desk";
import { readMessage } from "./deskMessage";

type Methods = {
  [K in keyof Desk]: Desk[K] extends (...args: infer A) => infer R ? { args: A; result: Awaited<R> } : never;
};

type Ask = <K extends keyof Methods>(method: K, ...args: Methods[K]["args"]) => Promise<Methods[K]["result"]>;

/** The process that has the registered folders; started when it is first needed, and again when it has ended. */
export class DeskClient {
  private child: ChildProcess | undefined;
  private remote: BirpcReturn<Desk, object> | undefined;
  /** Settled once the process knows what it works by. */
  private ready: Promise<void> | undefined;
  private isClosed = false;

  /** @param prepare tells a process that has just started what it works by */
  constructor(
    private readonly data: string,
    private readonly prepare: (ask: Ask) => Promise<void>,
  ) {}

  /** @throws what the desk throws, with its code; or Error when its process ended */
  readonly call: Ask = async (method, ...args) => {
    // It takes no more questions, though its end is not told yet.
    if (this.child?.connected === false) this.kill(this.child);
    await (this.ready ??= this.start().catch((error: unknown) => {
      // The next question starts it once more.
      this.ready = undefined;
      this.child?.kill("SIGKILL");
      throw error;
    }));
    return this.send(method, ...args);
  };

  private readonly send: Ask = async (method, ...args) => {
    if (!this.remote) throw this.ended();
    // Which arguments belong to a method that is known by its name alone, no type can say.
    return (this.remote.$call as Ask)(method, ...args);
  };

  private async start(): Promise<void> {
    if (this.isClosed) throw this.ended();
    const child = fork(DESK_ENTRY, [this.data], {
      execArgv: [...PROCESS_OPTIONS],
      serialization: "advanced",
      stdio: ["ignore", "inherit", "inherit", "ipc"],
    });
    this.child = child;
    this.remote = createBirpc<Desk>(
      {},
      {
        post: (message) => this.post(child, message as object),
        on: (take) => child.on("message", take),
        off: (take) => child.off("message", take),
        deserialize: readMessage,
        // Going through a drive takes as long as it takes.
        timeout: -1,
      },
    );
    child.once("exit", (code, signal) => this.end(child, signal ?? code));
    // It could not be started, or not be told anything.
    child.on("error", ({ message }) => this.kill(child, message));
    await this.prepare(this.send);
  }

  private post(child: ChildProcess, message: object): void {
    try {
      child.send(message, (error) => error && this.kill(child, error.message));
    } catch (error) {
      throw new Error(`The process that goes through folders took no question: ${(error as Error).message}`);
    }
  }

  private kill(child: ChildProcess, how: string | null = null): void {
    child.kill("SIGKILL");
    this.end(child, how);
  }

  private end(child: ChildProcess, how: string | number | null): void {
    if (this.child !== child) return;
    this.child = undefined;
    this.ready = undefined;
    this.remote!.$close(this.ended(how));
    this.remote = undefined;
  }

  private ended(how: string | number | null = null): Error {
    if (this.isClosed) return new Problem(503, "closing", "The server is closing");
    return new Error(`The process that goes through folders ended${how === null ? "" : ` (${how})`}`);
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
