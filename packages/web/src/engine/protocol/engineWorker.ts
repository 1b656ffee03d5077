import type { Milliseconds } from "@kinetocache/core";
import type { Command } from "./command";

/** The engine as it is reached from the thread that draws. */
export interface EngineWorker {
  /**
   * Starts it.
   * @param events takes whatever it has to say, an `EngineEvent` a message: a call that is answered would cost it twice
   */
  open(events: MessagePort): void | Promise<void>;
  /** Commands that come before it has started wait for it, in order. @param sentMs by the clock that all workers share */
  handle(command: Command, sentMs: Milliseconds): Promise<void>;
}
