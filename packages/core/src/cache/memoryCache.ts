import type { Milliseconds } from "../composition";
import type { ContentKey } from "../graph";
import { BOOKKEEPING_BYTES, type Bytes } from "../machine";
import { HIGHEST_UNPINNED, worth, type Candidate, type EntryKind, type EvictionContext } from "./eviction";
import { HabitJudge } from "./habits";
import { UsageHistory } from "./usage";

interface Entry<T> {
  readonly candidate: Candidate;
  readonly payload: T;
}

export interface Admission {
  /** False when everything held is worth more than the newcomer, or it is larger than the budget. */
  readonly admitted: boolean;
  readonly evicted: readonly ContentKey[];
}

/** An entry among the others. */
export interface Standing extends Pick<Candidate, "kind" | "bytes" | "costMs"> {
  readonly uses: number;
  /** Entries that go before it. */
  readonly before: number;
  readonly entries: number;
}

/** Frames in memory under a budget in bytes, which is never exceeded. */
export class MemoryCache<T> {
  private readonly entries = new Map<ContentKey, Entry<T>>();
  private readonly history = new UsageHistory();
  private readonly judge = new HabitJudge();
  private used = 0;

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

  /**
   * The payload, counted as used.
   * @param context undefined where the rules cannot learn from it, as of a branch that stands in for rendering
   */
  use(key: ContentKey, context?: EvictionContext): T | undefined {
    const entry = this.entries.get(key);
    if (!entry) return undefined;
    const { history } = this;
    history.used(key, entry.candidate.usage);
    history.trim(this.entries.size);
    if (context?.mode === "free")
      this.judge.used(entry.candidate, context, this.entries.size, this.budget, history.now);
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
    victims.forEach((victim) => this.remove(victim.key));
    this.entries.set(key, { candidate: newcomer, payload });
    this.history.admitted(key, newcomer.usage);
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
    return { key, kind, bytes: bytes + BOOKKEEPING_BYTES, costMs, usage: this.history.incoming(key) };
  }

  /** What leaves for a newcomer; undefined when it is not taken in. */
  private victimsFor(newcomer: Candidate, context: EvictionContext): Ranked[] | undefined {
    if (newcomer.bytes > this.budget) return undefined;
    const excess = this.used + newcomer.bytes - this.budget;
    return excess > 0 ? this.cheapest(excess, context, this.limitFor(newcomer, context)) : [];
  }

  /** What is worth more than this stays. A frame that is on show is taken in whatever it is worth later. */
  private limitFor(newcomer: Candidate, context: EvictionContext): number {
    const isOnShow = context.mode === "free" && newcomer.kind === "frame" && context.distance(newcomer.key) === 0;
    return isOnShow ? HIGHEST_UNPINNED : this.worth(newcomer, context);
  }

  private worth(candidate: Candidate, context: EvictionContext): number {
    return worth(candidate, context, this.judge.habit, this.history.now);
  }

  /** Changes the budget; what no longer fits leaves at once. */
  setBudget(budget: Bytes, context: EvictionContext): readonly ContentKey[] {
    if (budget !== this.budget) this.judge.clear();
    this.budget = budget;
    const excess = this.used - budget;
    if (excess <= 0) return [];
    const victims = this.cheapest(excess, context, Infinity)!;
    victims.forEach((victim) => this.remove(victim.key));
    return victims.map((victim) => victim.key);
  }

  remove(key: ContentKey): boolean {
    const entry = this.entries.get(key);
    if (!entry) return false;
    this.entries.delete(key);
    this.used -= entry.candidate.bytes;
    this.release(entry.payload);
    return true;
  }

  /** Where an entry stands among all by what it is worth; undefined when it is not held. */
  standing(key: ContentKey, context: EvictionContext): Standing | undefined {
    const entry = this.entries.get(key);
    if (!entry) return undefined;
    const own = this.worth(entry.candidate, context);
    let before = 0;
    for (const { candidate } of this.entries.values()) if (this.worth(candidate, context) < own) before++;
    const { bytes, costMs, usage, kind } = entry.candidate;
    return { kind, bytes, costMs, uses: usage.uses, before, entries: this.entries.size };
  }

  /** Entries of least worth that together free `bytes`; undefined when one of them is worth more than `limit`. */
  private cheapest(bytes: Bytes, context: EvictionContext, limit: number): Ranked[] | undefined {
    const single = this.cheapestOne(context);
    let ranked: Ranked[];
    // One frame makes room for another of its size almost always: a scan is enough then.
    if (single && single.bytes >= bytes) ranked = [single];
    else {
      ranked = [...this.entries.values()].map(({ candidate }) => ranking(candidate, this.worth(candidate, context)));
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
    for (const { candidate } of this.entries.values()) {
      const value = this.worth(candidate, context);
      if (!best || value < best.worth) best = ranking(candidate, value);
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
