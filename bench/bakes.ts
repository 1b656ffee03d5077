import type { Page } from "@playwright/test";
import { setSwitch } from "../testing/preview";
import { Driver } from "./browser";
import type { Measure } from "./figure";
import { rounded } from "./ratio";

// Two seconds: a bake of all would take minutes at 4K.
const FRAMES = 48;
// Takes of the same differ by so much.
const NOISE = 0.04;
const REAL_TIME = 0.99;

/** What of the range is held when it is asked what to bake. */
type Held = "nothing" | "half" | "on disk";

interface Case {
  readonly composition: string;
  readonly size: string;
  readonly held: Held;
}

const COMPOSITIONS = ["Night Roost", "Ringing Station", "Flyway Titles", "Estuary Map"];
const SIZES = ["100 %", "50 %", "33 %", "25 %"];
const STATES: readonly Held[] = ["nothing", "half", "on disk"];

/** All of them; a run of all figures takes some, so that each composition, size and state is among them. */
function cases(): Case[] {
  const all = COMPOSITIONS.flatMap((composition) =>
    SIZES.flatMap((size) => STATES.map((held) => ({ composition, size, held }))),
  );
  if (process.env.KINETOCACHE_BAKES === "all") return all;
  return COMPOSITIONS.map((composition, at) => ({ composition, size: SIZES[at]!, held: STATES[at % STATES.length]! }));
}

/** Puts the beginning of the range so many frames before its end, or before where it was. */
async function beginEarlier(page: Page, frames: number): Promise<void> {
  for (let n = 0; n < frames; n++) await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("i");
}

/** Opens a composition anew with nothing of its last frames in memory but what is wanted; these are its range. */
async function stand(driver: Driver, { held }: Pick<Case, "held">): Promise<void> {
  const { page } = driver;
  await page.reload();
  await driver.verdict("in memory");
  await page.locator(".playhead").focus();
  await page.keyboard.press("End");
  if (held === "half") {
    await beginEarlier(page, FRAMES / 2 - 1);
    await page.keyboard.press("f");
    await driver.verdict(`all ${FRAMES / 2} frames in memory`);
    await beginEarlier(page, FRAMES / 2);
  } else await beginEarlier(page, FRAMES - 1);
}

async function storing(driver: Driver, policy: "Always" | "Never"): Promise<void> {
  await driver.goTo("Storage");
  await driver.page.getByLabel("Frames are written").selectOption(policy);
  await driver.goTo("Preview");
}

const suggestionOf = (page: Page) => page.locator(".panel-body:visible [role=status]");

async function suggest(page: Page): Promise<number> {
  await page.getByRole("tab", { name: "Bakes" }).click();
  await page.getByRole("button", { name: "Suggest what to bake" }).click();
  await suggestionOf(page).waitFor();
  return suggestionOf(page).locator("li").count();
}

/** Waits until every bake that was begun is played. */
async function baked(page: Page): Promise<void> {
  await page
    .locator(".drawer-job", { hasText: /Baking|Checking/ })
    .first()
    .waitFor();
  await page.waitForFunction(
    () => !/Baking|Checking the bake/.test(document.querySelector(".drawer")?.textContent ?? ""),
  );
  await page.getByText("Played, and up to date").first().waitFor();
}

async function removeBakes(page: Page): Promise<void> {
  await page.getByRole("tab", { name: "Bakes" }).click();
  for (;;) {
    const remove = page.getByRole("button", { name: /^Remove the bake/ }).first();
    if (!(await remove.isVisible())) return;
    await remove.click();
    await page.getByRole("button", { name: /^Remove ([\d.]+|it)/ }).click();
    await page.waitForTimeout(300);
  }
}

/** Bakes the whole range at a size by hand. */
async function bakeWhole(page: Page, size: string, composition: string): Promise<void> {
  await page.getByRole("tab", { name: "Bakes" }).click();
  await page.getByLabel("What", { exact: true }).selectOption({ label: `${composition} (whole)` });
  await page.getByLabel("Frames", { exact: true }).selectOption("range");
  await page
    .getByLabel("Size", { exact: true })
    .selectOption({ label: size === "100 %" ? "100 %, full" : `${size}, reduced` });
  await page
    .locator(".bake-form")
    .getByRole("button", { name: /^Bake / })
    .click();
  await baked(page);
}

interface Outcome extends Case {
  readonly before: number;
  readonly suggested?: string;
  readonly after?: number;
  readonly isWrong: boolean;
}

async function tryCase(driver: Driver, one: Case): Promise<Outcome> {
  const { page } = driver;
  await driver.openComposition(one.composition);
  await driver.choose("size", one.size);
  if (one.held === "on disk") {
    await storing(driver, "Always");
    await stand(driver, { held: "nothing" });
    await page.keyboard.press("f");
    await driver.verdict(`all ${FRAMES} frames in memory`);
    await page.waitForTimeout(3000);
  } else await storing(driver, "Never");
  await stand(driver, one);
  const before = (await driver.take()).summary.onTimeShare;
  await stand(driver, one);
  const offers = await suggest(page);
  if (offers > 0) {
    const suggested = (await suggestionOf(page).locator("li").first().innerText()).replaceAll("\n", " ");
    await suggestionOf(page).locator("li").first().getByRole("button", { name: /^Bake/ }).click();
    await baked(page);
    await stand(driver, one);
    const after = (await driver.take()).summary.onTimeShare;
    await removeBakes(page);
    return { ...one, before: rounded(before), suggested, after: rounded(after), isWrong: after < before + NOISE };
  }
  // Nothing is wrong where one take of two is in real time as it is.
  let again = before;
  if (before < REAL_TIME) {
    await stand(driver, one);
    again = (await driver.take()).summary.onTimeShare;
  }
  let best = Math.max(before, again);
  const isRealTime = best >= REAL_TIME;
  if (!isRealTime)
    for (const size of new Set([one.size, "25 %"])) {
      await bakeWhole(page, size, one.composition);
      await stand(driver, one);
      best = Math.max(best, (await driver.take()).summary.onTimeShare);
      await removeBakes(page);
    }
  return { ...one, before: rounded(before), after: rounded(best), isWrong: !isRealTime && best >= REAL_TIME };
}

/** Suggestions whose take afterwards was no better, and cases in which a bake would have done it and none was suggested. */
export const bakeSuggestionWins: Measure = () =>
  Driver.with(async (driver) => {
    await driver.open();
    await driver.setCap(16 * 2 ** 30);
    await driver.choose("background", "Off");
    await setSwitch(driver.page, "Sharpen when parked", false);
    await driver.type("Memory budget in gigabytes", "2");
    const outcomes: Outcome[] = [];
    for (const one of cases()) {
      const outcome = await tryCase(driver, one);
      console.error(JSON.stringify(outcome));
      outcomes.push(outcome);
    }
    return {
      value: outcomes.filter(({ isWrong }) => isWrong).length,
      unit: "cases in which a suggestion did not win, or one that would have was not made",
      limit: "0",
      cases: outcomes.length,
      suggested: outcomes.filter(({ suggested }) => suggested !== undefined).length,
      outcomes,
    };
  });

/** Mean time of a frame that was predicted for a suggested bake of Night Roost, against what was measured. */
export const bakeGain: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.choose("background", "Off");
    await setSwitch(page, "Sharpen when parked", false);
    await driver.type("Memory budget in gigabytes", "2");
    await driver.choose("size", "100 %");
    await driver.choose("pacing", "Show every frame");
    await storing(driver, "Never");
    await stand(driver, { held: "nothing" });
    await driver.take();
    await stand(driver, { held: "nothing" });
    if ((await suggest(page)) === 0) throw new Error(await suggestionOf(page).innerText());
    const first = suggestionOf(page).locator("li").first();
    const said = (await first.innerText()).replaceAll("\n", " ");
    const predictedMs = Number(/takes ([\d.]+) ms instead/.exec(said)?.[1]);
    await first.getByRole("button", { name: /^Bake/ }).click();
    await baked(page);
    await stand(driver, { held: "nothing" });
    await driver.take();
    await stand(driver, { held: "nothing" });
    const { renderedFrames, summary } = await driver.take();
    const { frames, meanMs: measuredMs } = renderedFrames!;
    return {
      value: rounded(Math.abs(predictedMs - measuredMs) / measuredMs),
      unit: "difference of the prediction, as a share",
      limit: "at most 0.15",
      suggested: said,
      predictedMs,
      measuredMs: rounded(measuredMs),
      frames,
      onTimeShare: rounded(summary.onTimeShare),
    };
  });
