import { forecastTake, type Milliseconds, type TakeConditions, type TakeSummary } from "@kinetocache/core";

/** What a take would come to if it began now. */
export interface Outlook {
  /** Id of the document that it is for. */
  readonly document: string;
  readonly summary: TakeSummary;
}

// While much changes it follows twice a second.
const REST_MS: Milliseconds = 500;

/** Keeps what a take would come to up to date, a little at a time. */
export class OutlookDesk {
  private isStale = false;
  private run: { readonly document: string; readonly playing: Generator<undefined, TakeSummary> } | undefined;
  private restsUntilMs = -Infinity;

  /** @param conditions those of a take that began now; undefined while they are not known */
  constructor(
    private readonly emit: (event: { readonly kind: "outlook"; readonly outlook: Outlook | undefined }) => void,
    private readonly conditions: () => (TakeConditions & { readonly document: string }) | undefined,
  ) {}

  /** Something has changed that decides how a take goes. */
  note(): void {
    this.isStale = true;
  }

  /** When there is something to work out; undefined when there is nothing. */
  dueMs(nowMs: Milliseconds): Milliseconds | undefined {
    if (this.run) return nowMs;
    return this.isStale ? Math.max(nowMs, this.restsUntilMs) : undefined;
  }

  /** Works on until the time is used up. */
  step(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    if (!this.run) {
      const conditions = this.conditions();
      this.isStale = false;
      if (!conditions) {
        this.end(undefined);
        return;
      }
      this.run = { document: conditions.document, playing: forecastTake(conditions) };
    }
    const { document, playing } = this.run;
    do {
      const next = playing.next();
      if (!next.done) continue;
      this.end({ document, summary: next.value });
      return;
    } while (performance.now() < until);
  }

  private end(outlook: Outlook | undefined): void {
    this.run = undefined;
    this.restsUntilMs = performance.now() + REST_MS;
    this.emit({ kind: "outlook", outlook });
  }

  /** What it was working out was of something else. */
  drop(): void {
    this.run = undefined;
    this.restsUntilMs = -Infinity;
    this.note();
  }
}
