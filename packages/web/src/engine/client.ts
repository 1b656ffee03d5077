import type { Milliseconds } from "@kinetocache/core";
import { reasonOf } from "./helper";
import type { Command, EngineEvent, SentCommand } from "./protocol";
import { sharedNow } from "./responses";

// An engine that ends sooner would end again: another one is started when that is asked for.
const SHORTEST_LIFE_MS: Milliseconds = 5000;

type Listener = (event: EngineEvent) => void;

/** The engine as the screens see it: commands in, events out. */
export class EngineClient {
  private worker: Worker;
  private startedMs = 0;
  private readonly listeners = new Set<Listener>();

  constructor(private readonly startWorker: () => Worker) {
    this.worker = this.start();
  }

  send(command: Command, transfer: Transferable[] = []): void {
    const message: SentCommand = { command, sentMs: sharedNow() };
    this.worker.postMessage(message, transfer);
  }

  /** @returns a function that ends the subscription */
  subscribe(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Tells the screens something, as the engine does. */
  tell(event: EngineEvent): void {
    this.listeners.forEach((listener) => listener(event));
  }

  /** Another engine in place of the one that ended; it knows nothing until it is told. */
  restart(): void {
    this.worker.terminate();
    this.worker = this.start();
  }

  private start(): Worker {
    const worker = this.startWorker();
    this.startedMs = performance.now();
    worker.onmessage = ({ data: event }: MessageEvent<EngineEvent>) => this.tell(event);
    worker.onerror = (event) => {
      event.preventDefault();
      worker.terminate();
      const livedMs = performance.now() - this.startedMs;
      this.tell({ kind: "ended", reason: reasonOf(event), goesOn: livedMs > SHORTEST_LIFE_MS });
    };
    return worker;
  }
}
