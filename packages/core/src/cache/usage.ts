import type { ContentKey } from "../graph";

/** Numbers of uses after which what was seen counts half: from the last seconds of work to a whole session. */
export const HALF_LIVES = [64, 1024, 8192] as const;

/** When and how often an entry was used. Time is counted in uses: a machine that rests makes nothing older. */
export interface Usage {
  /** How often it was shown, or stood in for rendering. */
  uses: number;
  /** The clock when it was last used, or taken in. */
  at: number;
  /** Whether it was taken in and not used since. */
  isUnseen: boolean;
  /** For each half-life, its uses, each faded by those that followed until `at`. */
  readonly credits: number[];
  /** The number of its last use or admission among all of them. */
  order: number;
}

/** Uses that count `halfLife` uses later as one half. */
export function faded(credit: number, uses: number, halfLife: number): number {
  return credit * 2 ** (-uses / halfLife);
}

// What was used is remembered for so many times the entries that are held, and for as many more at least.
const REMEMBERED_TIMES = 4;
const REMEMBERED_MORE = 256;

/** Remembers the use of entries, of those too that are no longer held, the latest ones. */
export class UsageHistory {
  private readonly usages = new Map<ContentKey, Usage>();
  private orders = 0;
  /** Uses until now. */
  now = 0;

  /** What is known of an entry that comes in: that does not count as a use, but its age starts anew. */
  incoming(key: ContentKey): Usage {
    return { ...this.aged(this.usages.get(key)), isUnseen: true, order: this.orders + 1 };
  }

  /** It was taken in. */
  admitted(key: ContentKey, usage: Usage): void {
    usage.order = ++this.orders;
    this.remember(key, usage);
  }

  /** Counts a use of an entry. */
  used(key: ContentKey, usage: Usage): void {
    this.now++;
    const { at, credits } = this.aged(usage);
    credits.forEach((credit, index) => (usage.credits[index] = credit + 1));
    usage.at = at;
    usage.uses++;
    usage.isUnseen = false;
    usage.order = ++this.orders;
    this.remember(key, usage);
  }

  /** Forgets what was used longest ago. @param entries that are held */
  trim(entries: number): void {
    const most = entries * REMEMBERED_TIMES + REMEMBERED_MORE;
    for (const key of this.usages.keys()) {
      if (this.usages.size <= most) break;
      this.usages.delete(key);
    }
  }

  private aged(usage: Usage | undefined): Usage {
    const { now } = this;
    const credits = HALF_LIVES.map((halfLife, index) =>
      faded(usage?.credits[index] ?? 0, now - (usage?.at ?? now), halfLife),
    );
    return { uses: usage?.uses ?? 0, at: now, isUnseen: usage?.isUnseen ?? true, credits, order: usage?.order ?? 0 };
  }

  /** What was used last stands last. */
  private remember(key: ContentKey, usage: Usage): void {
    this.usages.delete(key);
    this.usages.set(key, usage);
  }
}
