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
  /** What the thread had of a processor meanwhile. */
  readonly tdur?: number;
  readonly args: { readonly data?: { readonly url?: string }; readonly name?: string };
}

/** Work of a thread that nothing else interrupts. */
const TURNS = new Set(["FunctionCall", "TimerFire", "HandlePostMessage", "v8.callFunction"]);

interface Turn {
  /** Of a processor, and by the clock, during which others may have had the processor. */
  readonly ownMs: number;
  readonly wallMs: number;
}

/** What a worker did at a time; what lies in another turn is part of it. */
function turnsOf(events: readonly TraceEvent[], script: RegExp): Turn[] {
  const isOf = ({ args }: TraceEvent) => script.test(args.data?.url ?? "");
  const thread = events.find(isOf);
  if (!thread) throw new Error("The engine did nothing that was traced");
  const own = events
    .filter(({ pid, tid, name, ph }) => pid === thread.pid && tid === thread.tid && ph === "X" && TURNS.has(name))
    .sort((a, b) => a.ts - b.ts || b.dur! - a.dur!);
  const turns: Turn[] = [];
  let endMs = -Infinity;
  for (const { ts, dur = 0, tdur = dur } of own) {
    if (ts < endMs) continue;
    turns.push({ ownMs: tdur / 1000, wallMs: dur / 1000 });
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
    const turns = turnsOf(events, /engine\.worker/);
    const at = (of: keyof Turn, share: number) => {
      const sorted = turns.map((turn) => turn[of]).sort((a, b) => a - b);
      return rounded(sorted[Math.min(turns.length - 1, Math.floor(turns.length * share))]!);
    };
    return {
      value: at("ownMs", 0.99),
      unit: "ms of a processor, 99th percentile",
      limit: "at most 2",
      median: at("ownMs", 0.5),
      largest: at("ownMs", 1),
      // The browser shows frames on the same two cores, and takes them in the middle of a step.
      byTheClock: at("wallMs", 0.99),
      turns: turns.length,
    };
  });
