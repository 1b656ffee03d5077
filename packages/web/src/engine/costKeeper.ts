import type { Milliseconds } from "@kinetocache/core";

// Often enough that little is lost when the page is closed.
const EVERY_MS: Milliseconds = 3000;

/** Has what was measured told, so that it is kept for the next session; not with every frame. */
export class CostKeeper {
  private timer: ReturnType<typeof setTimeout> | undefined;

  /** @param mayTell whether there is time for it now */
  constructor(
    private readonly tell: () => void,
    private readonly mayTell: () => boolean,
  ) {}

  /** Something was measured. */
  note(): void {
    this.timer ??= setTimeout(() => {
      if (this.mayTell()) this.tellNow();
      else {
        this.timer = undefined;
        this.note();
      }
    }, EVERY_MS);
  }

  /** Tells what is still untold. */
  tellNow(): void {
    if (this.timer === undefined) return;
    clearTimeout(this.timer);
    this.timer = undefined;
    this.tell();
  }
}
