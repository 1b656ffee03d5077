import type { Milliseconds } from "../composition";
import type { ContentKey } from "../graph";
import { BOOKKEEPING_BYTES, type Bytes } from "../machine";
import { worth, type Candidate, type EntryKind, type EvictionContext } from "./eviction";

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

/** An entry among the others. */
export interface Standing extends Pick<Candidate, "kind" | "bytes" | "costMs" | "uses"> {
  /** Entries that go before it. */
  readonly before: number;
  readonly entries: number;
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
  put(
    key: ContentKey,
    payload: T,
    bytes: Bytes,
    costMs: Milliseconds,
    context: EvictionContext,
    kind: EntryKind = "frame",
  ): Admission {
    if (this.entries.has(key)) return { admitted: false, evicted: [] };
    const newcomer = this.newcomer(key, kind, bytes, costMs);
    const victims = this.victimsFor(newcomer, context);
    if (!victims) return { admitted: false, evicted: [] };
    this.tick++;
    this.evict(victims, context);
    this.entries.set(key, { ...newcomer, payload });
    this.used += newcomer.bytes;
    return { admitted: true, evicted: victims.map((victim) => victim.key) };
  }

  /** Whether `put` would take it, without doing so. */
  wouldAdmit(
    key: ContentKey,
    bytes: Bytes,
    costMs: Milliseconds,
    context: EvictionContext,
    kind: EntryKind = "frame",
  ): boolean {
    if (this.entries.has(key)) return false;
    return this.victimsFor(this.newcomer(key, kind, bytes, costMs), context) !== undefined;
  }

  private newcomer(key: ContentKey, kind: EntryKind, bytes: Bytes, costMs: Milliseconds): Candidate {
    const { tick } = this;
    // What was never shown has no claim to the credit that a frame on show gets: it must be worth its room by itself.
    const base = kind === "frame" ? this.inflation : 0;
    return { key, kind, bytes: bytes + BOOKKEEPING_BYTES, costMs, uses: 0, lastUse: tick + 1, base };
  }

  /** What leaves for a newcomer; undefined when it is not taken in. */
  private victimsFor(newcomer: Candidate, context: EvictionContext): Ranked[] | undefined {
    if (newcomer.bytes > this.budget) return undefined;
    const excess = this.used + newcomer.bytes - this.budget;
    return excess > 0 ? this.cheapest(excess, context, worth(newcomer, context)) : [];
  }

  private evict(victims: readonly Ranked[], context: EvictionContext): void {
    for (const victim of victims) {
      this.remove(victim.key);
      // The age of what stays is counted from the worth of what went; a pinned entry's is not by the rule.
      if (context.mode === "free" && !context.isPinned(victim.key))
        this.inflation = Math.max(this.inflation, victim.worth);
    }
  }

  /** Changes the budget; what no longer fits leaves at once. */
  setBudget(budget: Bytes, context: EvictionContext): readonly ContentKey[] {
    this.budget = budget;
    const excess = this.used - budget;
    if (excess <= 0) return [];
    const victims = this.cheapest(excess, context, Infinity)!;
    this.evict(victims, context);
    return victims.map((victim) => victim.key);
  }

  remove(key: ContentKey): boolean {
    const entry = this.entries.get(key);
    if (!entry) return false;
    this.entries.delete(key);
    this.used -= entry.bytes;
    this.release(entry.payload);
    return true;
  }

  /** Where an entry stands among all by what it is worth; undefined when it is not held. */
  standing(key: ContentKey, context: EvictionContext): Standing | undefined {
    const entry = this.entries.get(key);
    if (!entry) return undefined;
    const own = worth(entry, context);
    let before = 0;
    for (const other of this.entries.values()) if (other !== entry && worth(other, context) < own) before++;
    const { bytes, costMs, uses, kind } = entry;
    return { kind, bytes, costMs, uses, before, entries: this.entries.size };
  }

  /** Entries of least worth that together free `bytes`; undefined when one of them is worth more than `limit`. */
  private cheapest(bytes: Bytes, context: EvictionContext, limit: number): Ranked[] | undefined {
    const single = this.cheapestOne(context);
    let ranked: Ranked[];
    // One frame makes room for another of its size almost always: a scan is enough then.
    if (single && single.bytes >= bytes) ranked = [single];
    else {
      ranked = [...this.entries.values()].map((entry) => ranking(entry, worth(entry, context)));
      ranked.sort((a, b) => a.worth - b.worth);
    }
    const victims: Ranked[] = [];
    let freed = 0;
    for (const candidate of ranked) {
      if (freed >= bytes) break;
      if (candidate.worth > limit) return undefined;
      victims.push(candidate);
      freed += candidate.bytes;
    }
    return victims;
  }

  private cheapestOne(context: EvictionContext): Ranked | undefined {
    let best: Ranked | undefined;
    for (const entry of this.entries.values()) {
      const value = worth(entry, context);
      if (!best || value < best.worth) best = ranking(entry, value);
    }
    return best;
  }
}

interface Ranked {
  readonly key: ContentKey;
  readonly bytes: Bytes;
  readonly worth: number;
}

function ranking({ key, bytes }: Candidate, value: number): Ranked {
  return { key, bytes, worth: value };
}
