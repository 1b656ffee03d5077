import type { ContentKey, Milliseconds } from "@kinetocache/core";
import type { FrameTiming, TakenBranch } from "./frameCosts";
import type { JobOf } from "./jobTable";
import type { Parts } from "./parts";
import type { PreviewTimeline } from "./previewTimeline";
import type { Rendered } from "./renderPool";
import type { Staging } from "./staging";

// It is told once a second while frames are rendered.
const LONGEST_MS: Milliseconds = 1500;

/** What rendering a frame took, as the clock says. */
interface Timing extends Omit<FrameTiming, "share"> {
  readonly timeline: PreviewTimeline;
  readonly key: ContentKey;
  readonly still: ReadonlySet<ContentKey>;
  readonly taken: readonly TakenBranch[];
}

/** Whether twice as many frames were measured as the last time that it was so. */
function knowsMore(frames: number): boolean {
  return frames >= 4 && Number.isInteger(Math.log2(frames));
}

/**
 * Times on their way into the cost book. They wait until it is told how much of the processor others had meanwhile:
 * by what was told before, the first second beside a busy program would count as if nobody else had been there.
 */
export class Timings {
  private waiting: Timing[] = [];
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(private readonly engine: Parts & { readonly staging: Staging }) {}

  note({ timeline, frame, taken }: JobOf<"frame">, rendered: Rendered): void {
    const { key, width, height, ms, costs, nodesTimed, renderer } = rendered;
    const branches = taken.map(({ key: branch, layer, costMs }) => ({ key: branch, layer, costMs }));
    const timing = { ms, costs, nodesTimed, renderer, pixels: width * height };
    this.waiting.push({ timeline, key, still: timeline.stillKeys(frame), taken: branches, ...timing });
    if (this.engine.contention.isTold) this.timer ??= setTimeout(() => this.enter(), LONGEST_MS);
    else this.enter();
  }

  /** Takes in what waits, with what is known of others now. */
  enter(): void {
    const { book, contention, costKeeper, outlook, stage, staging } = this.engine;
    clearTimeout(this.timer);
    this.timer = undefined;
    for (const { timeline, key, still, taken, ...timing } of this.waiting.splice(0)) {
      const measured = stage.isPresent(timeline) ? timeline : stage.timeline!;
      measured.measure(key, { ...timing, share: contention.share }, still, taken);
      costKeeper.note();
      outlook.note();
      // What was taken as it came is looked at again once more is known.
      if (knowsMore(book.framesOn(timing.renderer))) staging.estimateAgain();
    }
  }
}
