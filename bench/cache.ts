import { simulateLoop } from "@kinetocache/core";
import { setSwitch } from "../testing/preview";
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
 * Growth of the page's process against the pixels held; beside it, without what waits to be collected: when the
 * browser does that is chance. Memory is filled once before, so that the workers have
 * what they need, and nothing goes to or comes from disk: the browser's debugger, which drives the page here,
 * keeps what a page receives, up to 200 MB. Then the budget is lowered, and what was given back is measured too.
 */
export const cacheOverhead: Measure = () =>
  Driver.with(async (driver) => {
    await driver.open();
    await driver.setCap(16 * 2 ** 20);
    // A full-size frame in a worker that made none before would count as growth.
    await setSwitch(driver.page, "Sharpen when parked", false);
    await driver.fill();
    const taken = async () => {
      const bytes = await driver.pageProcessBytes();
      await driver.collectGarbage();
      return { bytes, inUse: await driver.pageProcessBytes() };
    };
    const lower = async () => {
      await driver.choose("background", "Off");
      await driver.type("Memory budget in gigabytes", "0.02");
      await driver.page.waitForTimeout(5000);
      return taken();
    };
    const before = await lower();
    const framesBefore = await driver.framesInMemory();
    await driver.choose("background", "Idle");
    await driver.fill();
    await driver.page.waitForTimeout(3000);
    const full = await taken();
    const after = await lower();
    const pixelBytes = (240 - framesBefore) * 960 * 540 * 4;
    return {
      value: rounded((full.bytes - before.bytes) / pixelBytes, 4),
      unit: "ratio",
      limit: "at most 1.05",
      withoutGarbage: rounded((full.inUse - before.inUse) / pixelBytes, 4),
      pixelBytes,
      processBytes: full.bytes - before.bytes,
      returnedShareAfterLowering: rounded((full.bytes - after.bytes) / (full.bytes - before.bytes), 4),
    };
  });
