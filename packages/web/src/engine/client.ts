import * as Comlink from "comlink";
import type { Milliseconds } from "@kinetocache/core";
import { reasonOf } from "./helper";
import type { Command } from "./protocol/command";
import type { EngineWorker } from "./protocol/engineWorker";
import type { EngineEvent } from "./protocol/event";
import { sharedNow } from "./responses";

// An engine that ends sooner would end again: another one is started when that is asked for.
const SHORTEST_LIFE_MS: Milliseconds = 5000;

type Listener = (event: EngineEvent) => void;

interface Running {
  readonly worker: Worker;
  readonly remote: Comlink.Remote<EngineWorker>;
  readonly events: MessagePort;
}

/** The engine as the screens see it: commands in, events out. */
export class EngineClient {
  private running: Running;
  private startedMs = 0;
  private readonly listeners = new Set<Listener>();

  constructor(private readonly startWorker: () => Worker) {
    this.running = this.start();
  }

  send(command: Command, transfer: Transferable[] = []): void {
    // The engine says itself what it could not do; one that ended is heard of by its worker.
    void this.running.remote.handle(Comlink.transfer(command, transfer), sharedNow());
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
    this.running.worker.terminate();
    this.running.events.close();
    this.running = this.start();
  }

  private start(): Running {
    const worker = this.startWorker();
    this.startedMs = performance.now();
    worker.onerror = (event) => {
      event.preventDefault();
      worker.terminate();
      const livedMs = performance.now() - this.startedMs;
      this.tell({ kind: "ended", reason: reasonOf(event), goesOn: livedMs > SHORTEST_LIFE_MS });
    };
    const remote = Comlink.wrap<EngineWorker>(worker);
    const { port1: events, port2: end } = new MessageChannel();
    events.onmessage = ({ data }) => this.hear(data as EngineEvent);
    void remote.open(Comlink.transfer(end, [end]));
    return { worker, remote, events };
  }

  /** What a listener throws is a fault of the page, and none of the engine's. */
  private hear(event: EngineEvent): void {
    try {
      this.tell(event);
    } catch (error) {
      reportError(error);
    }
  }
}
