import { Driver, type StoredTake } from "./browser";
import type { Figure, Measure } from "./figure";
import { median, rounded } from "./ratio";

function playbackFigure(takes: readonly StoredTake[]): Figure {
  const sum = (read: (take: StoredTake) => number) => takes.reduce((total, take) => total + read(take), 0);
  return {
    value: rounded(sum((take) => take.summary.onTimeShare) / takes.length, 4),
    unit: "share on time",
    limit: "at least 0.99, none skipped",
    skipped: sum((take) => take.summary.skipped),
    late: sum((take) => take.summary.late),
    passes: takes.length,
    heldInMemoryAtStart: takes.map((take) => take.heldAtStart.memory),
    shareOfEachPass: takes.map((take) => rounded(take.summary.onTimeShare, 4)),
  };
}

/** Night Roost at 50 %, all of it in memory, three passes at 24 and at 60 frames per second. */
export const cachedPlayback: Measure = () =>
  Driver.with(async (driver) => {
    await driver.open();
    const cases: Record<string, Figure> = {};
    for (const rate of [24, 60]) {
      await driver.openAtRate(rate);
      await driver.fill();
      // Nothing of the filling may still be under way.
      await driver.choose("background", "Off");
      await driver.page.waitForTimeout(3000);
      const takes: StoredTake[] = [];
      for (let pass = 0; pass < 3; pass++) takes.push(await driver.take());
      cases[`${rate}fps`] = playbackFigure(takes);
      await driver.choose("background", "Idle");
    }
    return cases;
  });

/** Rate of rendering frames that are not held with two workers, over twice that with one. */
export const parallelEfficiency: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.choose("background", "Off");
    await driver.choose("pacing", "Show every frame");
    // A light stretch, so that a pass takes seconds, and no disk: only rendering is measured.
    await page.locator(".terrain").focus();
    for (let n = 0; n < 59; n++) await page.keyboard.press("ArrowRight");
    await page.keyboard.press("o");
    await page.getByRole("button", { name: /^Reed line/ }).click();
    const rates: Record<number, number[]> = { 1: [], 2: [] };
    let exposure = 0.3;
    // A first pass warms the workers up; then one and two by turns, always on frames never seen before.
    for (let round = -1; round < 5; round++) {
      for (const workers of [1, 2]) {
        await page.getByRole("tab", { name: "Trade-offs" }).click();
        await driver.type("In parallel", String(workers));
        await page.getByRole("tab", { name: "Reed line" }).click();
        exposure += 0.05;
        await driver.type("Exposure", exposure.toFixed(2));
        await page.keyboard.press("Escape");
        const { summary, heldAtStart } = await driver.take();
        if (heldAtStart.memory > 1) throw new Error(`${heldAtStart.memory} frames were held already`);
        if (round >= 0) rates[workers]!.push(summary.reachedRate);
      }
    }
    const [one, two] = [median(rates[1]!), median(rates[2]!)];
    return {
      value: rounded(two / (2 * one)),
      unit: "ratio",
      limit: "at least 0.8",
      framesPerSecondWith1: rounded(one),
      framesPerSecondWith2: rounded(two),
      rounds: rates[1]!.length,
    };
  });
