import type { Page } from "@playwright/test";
import { setSwitch } from "../testing/preview";
import { stored } from "../testing/stored";
import { Driver } from "./browser";
import type { Measure } from "./figure";
import { median } from "./ratio";

const STATES = 50;
const FRAMES = 12;

/** Opens Sweep. @returns until it lists cached frames with what they are worth */
async function marking(driver: Driver): Promise<number> {
  const { page } = driver;
  // Frames are listed as the server had them when they were asked for: what is written now is written before.
  await page.waitForTimeout(3000);
  await page.evaluate(() => performance.mark("asked"));
  await driver.goTo("Sweep");
  await page.waitForFunction(() => {
    const head = document.querySelector(".page-head")?.textContent ?? "";
    return /can go|Nothing is stale/.test(head) && !head.includes("working out");
  });
  const ms = await page.evaluate(() => performance.now() - performance.getEntriesByName("asked").at(-1)!.startTime);
  const state = await page.locator(".ledger-grid", { hasText: "superseded" }).count();
  if (state === 0) throw new Error("Sweep found no superseded frames");
  await driver.goTo("Preview");
  return ms;
}

/** How long handing the states of the longest history over keeps the thread that draws. */
async function sending(page: Page): Promise<number> {
  const documents = await stored<{ readonly history: { readonly states: readonly unknown[] } }>(page, "documents");
  const [states] = documents.map(({ history }) => history.states).sort((a, b) => b.length - a.length);
  return page.evaluate((sent) => {
    const startMs = performance.now();
    structuredClone(sent);
    return performance.now() - startMs;
  }, states);
}

/** How long it takes to find superseded frames of Flyway Titles among those stored, with so many undo states. */
export const reachabilityMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.openComposition("Flyway Titles");
    await driver.choose("size", "25 %");
    await driver.choose("background", "Off");
    await setSwitch(page, "Sharpen when parked", false);
    await page.getByRole("button", { name: /^Sky/ }).click();
    await driver.type("Exposure", "0.99");
    await driver.stretch(FRAMES);
    await page.keyboard.press("f");
    await driver.hasFrames(FRAMES);
    // The state that these frames are of is gone with the next edit.
    await page.keyboard.press("Control+z");
    for (let edit = 1; edit < STATES; edit++) await driver.type("Exposure", String(edit / 100));
    const firstMs = await marking(driver);
    const editMs: number[] = [];
    const openMs: number[] = [];
    for (const exposure of ["0.6", "0.65", "0.7", "0.75", "0.8"]) {
      await page.getByRole("button", { name: /^Sky/ }).click();
      await driver.type("Exposure", exposure);
      editMs.push(await marking(driver));
      // What opening the screen takes while nothing has to be worked out.
      openMs.push(await marking(driver));
    }
    const sendMs = await sending(page);
    return {
      "from nothing": { value: Math.round(firstMs), unit: "ms", limit: "at most 8000", states: STATES },
      "after one more edit": {
        value: Math.round(median(editMs.map((ms, at) => ms - openMs[at]!))),
        unit: "ms more than without one",
        limit: "at most 300",
        withAnEdit: editMs.map(Math.round),
        without: openMs.map(Math.round),
      },
      "on the thread that draws": { value: Math.round(sendMs * 10) / 10, unit: "ms at a time", limit: "at most 8" },
    };
  });
