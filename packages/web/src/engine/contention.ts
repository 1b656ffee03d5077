import type { Milliseconds } from "@kinetocache/core";

// What was told of others on the processor holds for so long.
const HOLDS_MS: Milliseconds = 3000;

/** How much of the processor the render workers get while other programs want it too. */
export class Contention {
  private told = { share: 1, atMs: -Infinity };

  /** Whether somebody tells. */
  get isTold(): boolean {
    return this.told.atMs > -Infinity;
  }

  note(share: number): void {
    this.told = { share, atMs: performance.now() };
  }

  /** Share of the time in which they had it, above 0 to 1, as far as it was told lately. */
  get share(): number {
    const { share, atMs } = this.told;
    return performance.now() - atMs < HOLDS_MS ? share : 1;
  }
}
