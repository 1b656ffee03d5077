import type { Milliseconds } from "@kinetocache/core";
import type { Command } from "./command";
import type { EngineEvent } from "./event";

export type Tell = (event: EngineEvent) => unknown;

/** The engine as it is reached from the thread that draws. */
export interface EngineWorker {
  /** Starts it. @param tell gets whatever it has to say */
  open(tell: Tell): void | Promise<void>;
  /** Commands that come before it has started wait for it, in order. @param sentMs by the clock that all workers share */
  handle(command: Command, sentMs: Milliseconds): Promise<void>;
}
