import type { Page } from "@playwright/test";
import { undisturbed } from "./steal";

/** What the page's main thread had to do for each frame. */
interface FrameWork {
  /** Beyond what it does while nothing happens. */
  readonly ms: number;
  readonly withIdleMs: number;
}

const IDLE_MS = 3000;

/** @param frames how many `act` takes, within the page */
export async function frameWork(page: Page, frames: number, act: () => Promise<unknown>): Promise<FrameWork> {
  const client = await page.context().newCDPSession(page);
  await client.send("Performance.enable");
  const busyMs = async () => {
    const { metrics } = await client.send("Performance.getMetrics");
    return 1000 * metrics.find(({ name }) => name === "TaskDuration")!.value;
  };
  const idleStart = await busyMs();
  await page.waitForTimeout(IDLE_MS);
  const idle = ((await busyMs()) - idleStart) / IDLE_MS;
  const { result } = await undisturbed(async () => {
    const start = await busyMs();
    const startedMs = performance.now();
    await act();
    return { busy: (await busyMs()) - start, tookMs: performance.now() - startedMs };
  });
  return { ms: (result.busy - idle * result.tookMs) / frames, withIdleMs: result.busy / frames };
}
