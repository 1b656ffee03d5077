import { availableParallelism } from "node:os";
import { Piscina } from "piscina";
import { THREAD_ENTRY } from "../entries";
import type * as tasks from "./tasks";

type Tasks = typeof tasks;
export type TaskName = keyof Tasks;

const RESTS_MS = 10_000;

/**
 * Threads for what takes a processor for long, so that requests are answered meanwhile. They are started when they are
 * first needed, and go when they have nothing to do.
 */
export class Workers {
  private pool: Piscina | undefined;

  /** @param width as many tasks as are worth having under way at once */
  constructor(readonly width = Math.max(2, availableParallelism())) {}

  /**
   * Runs a task in a thread. Bytes that it is given travel without a copy, and are gone afterwards.
   * @param signal ends it, whatever it is at @throws what the task throws
   */
  run<K extends TaskName>(
    name: K,
    input: Parameters<Tasks[K]>[0],
    signal?: AbortSignal,
  ): Promise<ReturnType<Tasks[K]>> {
    this.pool ??= new Piscina({
      filename: THREAD_ENTRY,
      execArgv: [],
      minThreads: 0,
      maxThreads: this.width,
      idleTimeout: RESTS_MS,
    });
    const options = { name, transferList: buffersOf(input), ...(signal ? { signal } : {}) };
    return this.pool.run(input, options) as Promise<ReturnType<Tasks[K]>>;
  }

  async close(): Promise<void> {
    await this.pool?.destroy();
    this.pool = undefined;
  }
}

/** Buffers of bytes that are the task's input, or a part of it. Small ones share theirs with others. */
function buffersOf(input: Uint8Array | object): ArrayBuffer[] {
  const parts: unknown[] = input instanceof Uint8Array ? [input] : Object.values(input);
  return parts.flatMap((part) =>
    part instanceof Uint8Array && part.byteLength > Buffer.poolSize ? [part.buffer as ArrayBuffer] : [],
  );
}
