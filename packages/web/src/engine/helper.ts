/** A helper worker, and what becomes of those who wait for it when it ends. */
export interface Running {
  readonly worker: Worker;
  /** Rejects when the worker ends by itself. */
  readonly ended: Promise<never>;
}

/** Why a worker ended, in words. A program that could not be loaded comes without a message. */
export function reasonOf({ message }: Pick<ErrorEvent, "message">): string {
  return message ? message.replace(/^Uncaught (\w*Error: )?/, "") : "its program could not be loaded";
}

/**
 * Has an error of a worker end it: whoever started it hears of it. What rejects by itself in a worker is heard by
 * nobody.
 */
export function endWorker(error: unknown): void {
  setTimeout(() => {
    throw error instanceof Error ? error : new Error(String(error));
  });
}

/** A worker that does something for others. When it ends, those who wait are told, and the next request starts another. */
export class Helper<T extends Running = Running> {
  private running: T | undefined;

  /** @param name what it is called in messages @param use what is made of a worker that was started */
  constructor(
    private readonly name: string,
    private readonly startWorker: () => Worker,
    private readonly use: (running: Running) => T,
  ) {}

  /** Starts the worker ahead of the first request, which need not wait for it then. */
  open(): void {
    this.running ??= this.start();
  }

  /** @throws Error when the worker ends before it has answered */
  async ask<R>(work: (running: T) => Promise<R>): Promise<R> {
    const running = (this.running ??= this.start());
    return Promise.race([work(running), running.ended]);
  }

  private start(): T {
    const worker = this.startWorker();
    const ended = new Promise<never>((_, reject) => {
      worker.onerror = (event) => {
        // Or it would end whoever started the worker, too.
        event.preventDefault();
        worker.terminate();
        if (this.running?.worker === worker) this.running = undefined;
        reject(new Error(`${this.name} stopped: ${reasonOf(event)}`));
      };
    });
    // Whoever waits hears of it; perhaps nobody does.
    ended.catch(() => undefined);
    return this.use({ worker, ended });
  }
}
