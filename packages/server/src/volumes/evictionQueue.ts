import type { EvictionRule, Milliseconds } from "@kinetocache/core";
import type { FrameIndex } from "./frameIndex";
import type { StoredFrame } from "./storedFrame";

/** Which of two frames goes first. */
export const ORDERS: Readonly<Record<EvictionRule, (a: StoredFrame, b: StoredFrame) => number>> = {
  "least recently used": (a, b) => a.lastUsedMs - b.lastUsedMs,
  "quickest to render again": (a, b) => a.costMs / a.size - b.costMs / b.size || a.lastUsedMs - b.lastUsedMs,
};

/** After so long the order is worked out anew, for those that were spared when it was. */
const FRESH_MS: Milliseconds = 60_000;

interface Wanted {
  readonly rule: EvictionRule;
  /** Frames that were used within it are spared. */
  readonly spareMs: Milliseconds;
}

/**
 * Frames in the order in which they go. It is worked out now and then instead of for each frame: a full location of
 * 100,000 would be sorted with each frame that is written. What was used since is passed over; what came since is
 * among those that are spared.
 */
export class EvictionQueue {
  private frames: readonly StoredFrame[] = [];
  /** When each was used last as the order was worked out. */
  private usedMs = new Float64Array();
  private at = 0;
  private made: (Wanted & { readonly atMs: Milliseconds }) | undefined;

  constructor(private readonly index: Pick<FrameIndex, "all" | "get">) {}

  /** The frame that goes next; undefined when all that are left are spared. */
  next(wanted: Wanted, nowMs: Milliseconds): StoredFrame | undefined {
    const isFresh = !this.fits(wanted, nowMs);
    if (isFresh) this.make(wanted, nowMs);
    const next = this.take(wanted, nowMs);
    if (next || isFresh) return next;
    this.make(wanted, nowMs);
    return this.take(wanted, nowMs);
  }

  private fits({ rule, spareMs }: Wanted, nowMs: Milliseconds): boolean {
    const { made } = this;
    if (!made || made.rule !== rule || made.spareMs !== spareMs) return false;
    // A clock that was set back tells nothing.
    return nowMs >= made.atMs && nowMs - made.atMs < FRESH_MS;
  }

  private make({ rule, spareMs }: Wanted, nowMs: Milliseconds): void {
    this.frames = this.index
      .all()
      .filter(({ lastUsedMs }) => nowMs - lastUsedMs >= spareMs)
      .sort(ORDERS[rule]);
    this.usedMs = Float64Array.from(this.frames, ({ lastUsedMs }) => lastUsedMs);
    this.at = 0;
    this.made = { rule, spareMs, atMs: nowMs };
  }

  private take({ spareMs }: Wanted, nowMs: Milliseconds): StoredFrame | undefined {
    while (this.at < this.frames.length) {
      const frame = this.frames[this.at]!;
      const isAsItWas = frame.lastUsedMs === this.usedMs[this.at] && this.index.get(frame.key) === frame;
      this.at++;
      if (isAsItWas && nowMs - frame.lastUsedMs >= spareMs) return frame;
    }
    return undefined;
  }
}
