import type { Milliseconds } from "@kinetocache/core";

const EVERY_MS: Milliseconds = 2000;

/** By what it is called, something that is another whenever what is listed under that name has changed. */
export type Followed = Readonly<Record<string, () => unknown>>;

/** The same, but not looked at more often than that. */
export function seldom(state: () => unknown, everyMs: Milliseconds): () => unknown {
  let [kept, atMs]: [unknown, Milliseconds] = [undefined, -Infinity];
  return () => {
    const now = performance.now();
    if (now - atMs >= everyMs) [kept, atMs] = [state(), now];
    return kept;
  };
}

/**
 * Tells what has changed, every two seconds while someone listens: a list of 100,000 frames is then sent when it has
 * changed, and not as often as somebody asks whether it has.
 */
export class Changes {
  private readonly listeners = new Set<(name: string) => void>();
  private readonly last = new Map<string, string>();
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(private readonly followed: Followed) {}

  /**
   * What changes after it is settled is told.
   * @returns a function that ends it
   */
  async listen(listener: (name: string) => void): Promise<() => void> {
    if (this.listeners.size === 0) await this.look();
    this.listeners.add(listener);
    this.timer ??= this.later();
    return () => this.listeners.delete(listener);
  }

  private async round(): Promise<void> {
    for (const name of await this.look()) this.listeners.forEach((listener) => listener(name));
    this.timer = this.listeners.size > 0 ? this.later() : undefined;
  }

  private later(): ReturnType<typeof setTimeout> {
    return setTimeout(() => void this.round(), EVERY_MS).unref();
  }

  /** @returns names of what is not as it was */
  private async look(): Promise<string[]> {
    const names = Object.keys(this.followed);
    const states = await Promise.all(names.map((name) => this.stateOf(name)));
    const changed = names.filter((name, at) => this.last.has(name) && this.last.get(name) !== states[at]);
    names.forEach((name, at) => this.last.set(name, states[at]!));
    return changed;
  }

  private async stateOf(name: string): Promise<string> {
    try {
      return JSON.stringify(await this.followed[name]!());
    } catch (error) {
      // Whoever asks for it is told the same.
      return String(error);
    }
  }
}
