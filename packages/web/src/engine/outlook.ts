import { forecastTake, IN_MEMORY, type Milliseconds, type TakeConditions, type TakeSummary } from "@kinetocache/core";

/** What a take would come to if it began now. */
export interface Outlook {
  /** Id of the document that it is for. */
  readonly document: string;
  readonly summary: TakeSummary;
  /** Of the frames of the range: held in memory, and held on disk alone. */
  readonly inMemory: number;
  readonly onDisk: number;
}

// While much changes it follows twice a second.
const REST_MS: Milliseconds = 500;

/** Keeps what a take would come to up to date, a little at a time. */
export class OutlookDesk {
  private isStale = false;
  private run: Generator<undefined, Outlook> | undefined;
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
        this.emit({ kind: "outlook", outlook: undefined });
        return;
      }
      this.run = workOut(conditions);
    }
    do {
      const next = this.run.next();
      if (!next.done) continue;
      this.run = undefined;
      this.restsUntilMs = performance.now() + REST_MS;
      this.emit({ kind: "outlook", outlook: next.value });
      return;
    } while (performance.now() < until);
  }

  /** What it was working out was of something else. */
  drop(): void {
    this.run = undefined;
    this.restsUntilMs = -Infinity;
    this.note();
  }
}

function* workOut(conditions: TakeConditions & { readonly document: string }): Generator<undefined, Outlook> {
  const { document, range, residency } = conditions;
  let [inMemory, onDisk] = [0, 0];
  for (const tiers of residency.subarray(range.in, range.out)) {
    if (tiers & IN_MEMORY) inMemory++;
    else if (tiers) onDisk++;
  }
  const summary = yield* forecastTake(conditions);
  return { document, summary, inMemory, onDisk };
}
