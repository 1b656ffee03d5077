import type { Bytes } from "../machine";
import type { ContentKey } from "../graph";
import { HABITS, worth, type Candidate, type FreeContext, type Habit } from "./eviction";

interface Shadow {
  readonly habit: Habit;
  /** What a cache that always went by this habit would hold. */
  readonly held: Map<ContentKey, Candidate>;
  used: Bytes;
  /** Uses that it would have served, those of long ago faded. */
  hits: number;
}

// What the shadows have served counts for so many times the entries that they hold.
const MEMORY = 4;
const LEAST_MEMORY = 128;
// Entries that a shadow goes through when it makes room; of larger caches only a part is followed.
const MOST_FOLLOWED = 512;

/**
 * Learns by which habit entries are best judged: beside the cache, one shadow for each, which holds no pixels, is
 * given the same uses, and the one that would have served most of the latest is gone by. Source: R. B. Gramacy et
 * al., "Adaptive caching by refetching" (2002). Of large caches each shadow follows a part, by hash, under as
 * small a part of the budget: C. A. Waldspurger et al., "Efficient MRC construction with SHARDS" (2015).
 */
export class HabitJudge {
  private readonly shadows: readonly Shadow[] = HABITS.map((habit) => ({ habit, held: new Map(), used: 0, hits: 0 }));
  private best = this.shadows[0]!;
  /** One entry of so many is followed. */
  private part = 1;

  get habit(): Habit {
    return this.best.habit;
  }

  /**
   * A use of an entry away from playback.
   * @param entries that the cache holds @param budget of the cache @param now uses until now
   */
  used(candidate: Candidate, context: FreeContext, entries: number, budget: Bytes, now: number): void {
    if (entries > MOST_FOLLOWED * this.part) this.followLess();
    if (!this.follows(candidate.key)) return;
    const fade = 1 - 1 / Math.max(LEAST_MEMORY, (MEMORY * entries) / this.part);
    for (const shadow of this.shadows) {
      const isHit = shadow.held.has(candidate.key);
      shadow.hits = shadow.hits * fade + (isHit ? 1 : 0);
      if (!isHit) take(shadow, candidate, context, budget / this.part, now);
    }
    for (const shadow of this.shadows) if (isSurelyMore(shadow.hits, this.best.hits)) this.best = shadow;
  }

  /** Forgets what the shadows held, not what was learned. */
  clear(): void {
    for (const shadow of this.shadows) {
      shadow.held.clear();
      shadow.used = 0;
    }
    this.part = 1;
  }

  private followLess(): void {
    this.part *= 2;
    for (const shadow of this.shadows)
      for (const [key, { bytes }] of shadow.held)
        if (!this.follows(key) && shadow.held.delete(key)) shadow.used -= bytes;
  }

  private follows(key: ContentKey): boolean {
    return this.part === 1 || hashOf(key) % this.part === 0;
  }
}

function take(shadow: Shadow, candidate: Candidate, context: FreeContext, budget: Bytes, now: number): void {
  const { held, habit } = shadow;
  if (candidate.bytes > budget) return;
  held.set(candidate.key, candidate);
  shadow.used += candidate.bytes;
  while (shadow.used > budget) {
    let least: Candidate | undefined;
    let leastWorth = Infinity;
    for (const one of held.values()) {
      const value = worth(one, context, habit, now);
      if (value >= leastWorth || one === candidate) continue;
      least = one;
      leastWorth = value;
    }
    held.delete(least!.key);
    shadow.used -= least!.bytes;
  }
}

/** Whether a count is larger than another by more than its spread: less may be chance. */
function isSurelyMore(hits: number, than: number): boolean {
  return hits - than > Math.sqrt(than + 1);
}

/** FNV-1a, 32 bits. */
function hashOf(key: ContentKey): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < key.length; at++) hash = Math.imul(hash ^ key.charCodeAt(at), 0x01000193);
  return hash >>> 0;
}
