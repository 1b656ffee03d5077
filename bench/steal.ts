import { readFile } from "node:fs/promises";
import { setTimeout as sleep } from "node:timers/promises";

/** Ticks of all processors: those that a hypervisor gave to others, and all of them. */
async function ticks(): Promise<{ stolen: number; total: number }> {
  const text = await readFile("/proc/stat", "utf8").catch(() => "cpu 0 0 0 0 0 0 0 0");
  const fields = text.split("\n", 1)[0]!.trim().split(/\s+/).slice(1, 9).map(Number);
  return { stolen: fields[7]!, total: fields.reduce((sum, value) => sum + value, 0) };
}

const BEARABLE = 0.03;
const ATTEMPTS = 6;
const QUIET_MS = 1000;
const LONGEST_WAIT_MS = 30_000;
// On a machine that is never left alone, waiting and measuring again would have no end.
const MOST_SPENT_MS = 60_000;

/** What waiting and measuring again took so far, in the whole run. */
let spentMs = 0;

interface Run<T> {
  readonly result: T;
  /** Share of all processors that a hypervisor gave to others meanwhile. */
  readonly stolen: number;
}

async function watched<T>(run: () => Promise<T>): Promise<Run<T>> {
  const before = await ticks();
  const result = await run();
  const after = await ticks();
  return { result, stolen: (after.stolen - before.stolen) / Math.max(1, after.total - before.total) };
}

/** Waits for a second in which no more than a bearable share was taken, but not forever. */
async function quiet(bearable: number): Promise<void> {
  for (let waitedMs = 0; waitedMs < LONGEST_WAIT_MS && spentMs < MOST_SPENT_MS; waitedMs += QUIET_MS)
    if ((await watched(() => sleep(QUIET_MS))).stolen <= bearable) return;
}

/**
 * Runs a measurement again, up to six times, while a hypervisor took more than a bearable share of the processors
 * for others meanwhile, and the whole run did not wait for too long. What decides is only that, never the result.
 * @returns the run that was disturbed least
 */
export async function undisturbed<T>(run: () => Promise<T>, bearable = BEARABLE): Promise<Run<T>> {
  let best: Run<T> | undefined;
  for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
    const waitsMs = performance.now();
    await quiet(bearable);
    const startsMs = performance.now();
    const latest = await watched(run);
    spentMs += (attempt === 0 ? startsMs : performance.now()) - waitsMs;
    if (!best || latest.stolen < best.stolen) best = latest;
    if (latest.stolen <= bearable || spentMs >= MOST_SPENT_MS) break;
  }
  return best!;
}
