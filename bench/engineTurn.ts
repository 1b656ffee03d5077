import { Driver } from "./browser";
import type { Measure } from "./figure";
import { rounded } from "./ratio";

interface TraceEvent {
  readonly name: string;
  readonly ph: string;
  readonly pid: number;
  readonly tid: number;
  readonly ts: number;
  readonly dur?: number;
  readonly args: { readonly data?: { readonly url?: string }; readonly name?: string };
}

/** Work of a thread that nothing else interrupts. */
const TURNS = new Set(["FunctionCall", "TimerFire", "HandlePostMessage", "v8.callFunction"]);

/** Lengths of what a worker did at a time, in ms; what lies in another turn is part of it. */
function turnsOf(events: readonly TraceEvent[], script: RegExp): number[] {
  const isOf = ({ args }: TraceEvent) => script.test(args.data?.url ?? "");
  const thread = events.find(isOf);
  if (!thread) throw new Error("The engine did nothing that was traced");
  const own = events
    .filter(({ pid, tid, name, ph }) => pid === thread.pid && tid === thread.tid && ph === "X" && TURNS.has(name))
    .sort((a, b) => a.ts - b.ts || b.dur! - a.dur!);
  const turns: number[] = [];
  let endMs = -Infinity;
  for (const { ts, dur = 0 } of own) {
    if (ts < endMs) continue;
    turns.push(dur / 1000);
    endMs = ts + dur;
  }
  return turns;
}

const PLAYED_MS = 4000;

/** Steps of the engine while a composition plays from memory at 60 fps, as the browser traces them. */
export const engineTurnMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.openAtRate(60);
    await driver.fill();
    await driver.choose("background", "Off");
    await page.waitForTimeout(3000);
    await page.locator(".playhead").focus();
    await page.keyboard.press("Space");
    // What begins with playback is not part of each step.
    await page.waitForTimeout(1500);
    const session = await page.context().newCDPSession(page);
    const events: TraceEvent[] = [];
    session.on("Tracing.dataCollected", ({ value }) => events.push(...(value as unknown as TraceEvent[])));
    await session.send("Tracing.start", { categories: "devtools.timeline", transferMode: "ReportEvents" });
    await page.waitForTimeout(PLAYED_MS);
    const ended = new Promise((resolve) => session.once("Tracing.tracingComplete", resolve));
    await session.send("Tracing.end");
    await ended;
    const turns = turnsOf(events, /engine\.worker/).sort((a, b) => a - b);
    const at = (share: number) => rounded(turns[Math.min(turns.length - 1, Math.floor(turns.length * share))]!);
    return {
      value: at(0.99),
      unit: "ms, 99th percentile",
      limit: "at most 2",
      median: at(0.5),
      largest: at(1),
      turns: turns.length,
    };
  });
