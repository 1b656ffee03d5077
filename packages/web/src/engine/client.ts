import type { Command, EngineEvent, SentCommand } from "./protocol";
import { sharedNow } from "./responses";

type Listener = (event: EngineEvent) => void;

/** The engine as the screens see it: commands in, events out. */
export class EngineClient {
  private readonly worker = new Worker(new URL("./engine.worker.ts", import.meta.url), { type: "module" });
  private readonly listeners = new Set<Listener>();

  constructor() {
    this.worker.onmessage = ({ data: event }: MessageEvent<EngineEvent>) =>
      this.listeners.forEach((listener) => listener(event));
    this.worker.onerror = ({ message }) => {
      const event: EngineEvent = {
        kind: "notice",
        text: `The preview engine stopped: ${message}. Reload the page to go on.`,
      };
      this.listeners.forEach((listener) => listener(event));
    };
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
}
