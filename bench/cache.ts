import { simulateLoop } from "@kinetocache/core";
import { Driver } from "./browser";
import type { Measure } from "./figure";
import { rounded } from "./ratio";

/** Hits of a loop of 240 frames with room for 200, once it has settled, on the scheduler of the live engine. */
export const loopHitShare: Measure = () => {
  const base = { frames: 240, room: 200, passes: 8, budgetMs: 1000 / 24, renderMs: 60, workers: 2 };
  const share = (eviction: "playback" | "leastRecentlyUsed") =>
    simulateLoop({ ...base, eviction }).at(-1)!.hits / base.frames;
  return Promise.resolve({
    value: rounded(share("playback")),
    unit: "share",
    limit: "at least 0.82",
    leastRecentlyUsed: rounded(share("leastRecentlyUsed")),
    frames: base.frames,
    room: base.room,
  });
};

/**
 * Growth of the page's process against the pixels held. The frames come from disk, so that nothing but the
 * cache grows; then the budget is lowered, and what was given back is measured too.
 */
export const cacheOverhead: Measure = () =>
  Driver.with(async (driver) => {
    await driver.open();
    // A full-size frame in a worker that made none before would count as growth.
    await driver.page.getByLabel("Sharpen when parked").setChecked(false);
    await driver.type("Memory budget in gigabytes", "0.02");
    await driver.type("Idle delay", "0");
    await driver.page.waitForFunction(() =>
      / 240 fr$/.test(document.querySelectorAll(".gauge")[2]!.querySelector(".gauge-value")!.textContent),
    );
    await driver.page.waitForTimeout(3000);
    const frameBytes = 960 * 540 * 4;
    const [framesBefore, before] = [await driver.framesInMemory(), await driver.pageProcessBytes()];
    await driver.type("Memory budget in gigabytes", "1");
    await driver.verdict("all 240 frames in memory");
    await driver.page.waitForTimeout(3000);
    const full = await driver.pageProcessBytes();
    await driver.choose("background", "Off");
    await driver.type("Memory budget in gigabytes", "0.02");
    // The browser's collector gives buffers back to the system some seconds after they are let go.
    await driver.page.waitForTimeout(10_000);
    const after = await driver.pageProcessBytes();
    const pixelBytes = (240 - framesBefore) * frameBytes;
    return {
      value: rounded((full - before) / pixelBytes, 4),
      unit: "ratio",
      limit: "at most 1.05",
      pixelBytes,
      processBytes: full - before,
      returnedShareAfterLowering: rounded((full - after) / (full - before), 4),
    };
  });
