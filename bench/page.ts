import { gzipSync } from "node:zlib";
import { Driver } from "./browser";
import type { Measure } from "./figure";
import { median, rounded } from "./ratio";

/** From navigation to the first contentful paint, with an empty browser cache; the median of five. */
export const firstPaintMs: Measure = () =>
  Driver.with(async ({ page, url }) => {
    const times: number[] = [];
    for (let n = 0; n < 5; n++) {
      await page.goto("about:blank");
      await page.goto(url);
      await page.waitForFunction(() => performance.getEntriesByName("first-contentful-paint").length > 0);
      times.push(await page.evaluate(() => performance.getEntriesByName("first-contentful-paint")[0]!.startTime));
    }
    return { value: rounded(median(times)), unit: "ms", limit: "none yet", all: times.map((time) => rounded(time)) };
  });

/** Script that the first screen loads, workers included, each file compressed by itself. */
export const bundleGzipBytes: Measure = () =>
  Driver.with(async (driver) => {
    const sizes = new Map<string, number>();
    driver.page.context().on("response", (response) => {
      if (!/\.js$/.test(new URL(response.url()).pathname)) return;
      void response.body().then((body) => sizes.set(new URL(response.url()).pathname, gzipSync(body).length));
    });
    await driver.open();
    await driver.page.waitForLoadState("networkidle");
    const total = [...sizes.values()].reduce((sum, size) => sum + size, 0);
    return { value: total, unit: "bytes", limit: "at most 450000", files: Object.fromEntries(sizes) };
  });
