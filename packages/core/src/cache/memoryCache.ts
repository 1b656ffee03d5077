import type { Milliseconds } from "../composition";
import type { ContentKey } from "../graph";
import { BOOKKEEPING_BYTES, type Bytes } from "../machine";
import { worth, type Candidate, type EvictionContext } from "./eviction";

interface Entry<T> extends Candidate {
  readonly payload: T;
  uses: number;
  lastUse: number;
  base: number;
}

export interface Admission {
  /** False when everything held is worth more than the newcomer, or it is larger than the budget. */
  readonly admitted: boolean;
  readonly evicted: readonly ContentKey[];
}

/** Frames in memory under a budget in bytes, which is never exceeded. */
export class MemoryCache<T> {
  private readonly entries = new Map<ContentKey, Entry<T>>();
  private used = 0;
  private tick = 0;
  private inflation = 0;

  /**
   * @param release called with each payload that leaves, so that its memory can be given back at once
   */
  constructor(
    private budget: Bytes,
    private readonly release: (payload: T) => void = () => undefined,
  ) {}

  get budgetBytes(): Bytes {
    return this.budget;
  }

  /** Bytes held, with bookkeeping. */
  get usedBytes(): Bytes {
    return this.used;
  }

  get size(): number {
    return this.entries.size;
  }

  has(key: ContentKey): boolean {
    return this.entries.has(key);
  }

  keys(): IterableIterator<ContentKey> {
    return this.entries.keys();
  }

  /** The payload without counting a use. */
  peek(key: ContentKey): T | undefined {
    return this.entries.get(key)?.payload;
  }

  /** The payload, counted as used. */
  use(key: ContentKey): T | undefined {
    const entry = this.entries.get(key);
    if (!entry) return undefined;
    entry.uses++;
    entry.lastUse = ++this.tick;
    entry.base = this.inflation;
    return entry.payload;
  }

  /** Puts a frame in, evicting what is worth less. A key that is already held keeps its payload. */
  put(key: ContentKey, payload: T, bytes: Bytes, costMs: Milliseconds, context: EvictionContext): Admission {
    if (this.entries.has(key)) return { admitted: false, evicted: [] };
    const size = bytes + BOOKKEEPING_BYTES;
    if (size > this.budget) return { admitted: false, evicted: [] };
    const entry: Entry<T> = { key, payload, bytes: size, costMs, uses: 0, lastUse: ++this.tick, base: this.inflation };
    const victims = this.used + size > this.budget ? this.cheapest(this.used + size - this.budget, context, entry) : [];
    if (!victims) return { admitted: false, evicted: [] };
    victims.forEach((victim) => this.remove(victim));
    this.entries.set(key, entry);
    this.used += size;
    return { admitted: true, evicted: victims };
  }

  /** Changes the budget; what no longer fits leaves at once. */
  setBudget(budget: Bytes, context: EvictionContext): readonly ContentKey[] {
    this.budget = budget;
    const excess = this.used - budget;
    if (excess <= 0) return [];
    const victims = this.cheapest(excess, context)!;
    victims.forEach((victim) => this.remove(victim));
    return victims;
  }

  remove(key: ContentKey): boolean {
    const entry = this.entries.get(key);
    if (!entry) return false;
    this.entries.delete(key);
    this.used -= entry.bytes;
    this.release(entry.payload);
    return true;
  }

  /**
   * Keys of least worth that together free `bytes`; undefined when one of them is worth more than `newcomer`.
   */
  private cheapest(bytes: Bytes, context: EvictionContext, newcomer?: Entry<T>): ContentKey[] | undefined {
    const limit = newcomer ? worth(newcomer, context) : Infinity;
    const single = this.cheapestOne(context);
    let ranked: { key: ContentKey; bytes: Bytes; worth: number }[];
    // One frame makes room for another of its size almost always: a scan is enough then.
    if (single && single.bytes >= bytes) ranked = [single];
    else {
      ranked = [...this.entries.values()].map((entry) => ({
        key: entry.key,
        bytes: entry.bytes,
        worth: worth(entry, context),
      }));
      ranked.sort((a, b) => a.worth - b.worth);
    }
    const victims: ContentKey[] = [];
    let freed = 0;
    for (const candidate of ranked) {
      if (freed >= bytes) break;
      if (candidate.worth > limit) return undefined;
      victims.push(candidate.key);
      freed += candidate.bytes;
      if (context.mode === "free") this.inflation = Math.max(this.inflation, candidate.worth);
    }
    return victims;
  }

  private cheapestOne(context: EvictionContext): { key: ContentKey; bytes: Bytes; worth: number } | undefined {
    let best: { key: ContentKey; bytes: Bytes; worth: number } | undefined;
    for (const entry of this.entries.values()) {
      const value = worth(entry, context);
      if (!best || value < best.worth) best = { key: entry.key, bytes: entry.bytes, worth: value };
    }
    return best;
  }
}
