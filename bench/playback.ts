import { Driver, type StoredTake } from "./browser";
import type { Figure, Measure } from "./figure";
import { median, rounded } from "./ratio";
import { undisturbed } from "./steal";

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

// A take of four seconds from which 0.3 % of two processors are taken has lost 24 ms: more than a frame at 60.
const BEARABLE = 0.003;

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
      let worst = 0;
      for (let pass = 0; pass < 2; pass++) {
        const { result, stolen } = await undisturbed(() => driver.take(), BEARABLE);
        takes.push(result);
        worst = Math.max(worst, stolen);
      }
      cases[`${rate}fps`] = { ...playbackFigure(takes), mostStolenShare: rounded(worst) };
      await driver.choose("background", "Idle");
    }
    return cases;
  });

// Frames of the stretch that is rendered, and how many of them the rate of filling leaves out at its start.
const STRETCH = 48;
// A worker that was added has to compile its loops.
const RUN_UP = 16;
const ROUNDS = 3;

async function edit(driver: Driver, exposure: number): Promise<void> {
  await driver.type("Exposure", exposure.toFixed(2));
  await driver.page.keyboard.press("Escape");
}

/** Frames filled a second after an edit emptied the stretch, by the counts on the screen and when they appeared. */
async function fillingRate(driver: Driver, exposure: number): Promise<number> {
  const { page } = driver;
  await page.evaluate(() => {
    const counts: [number, number][] = [];
    const held = document.querySelector<HTMLElement>(".verdict-held")!;
    new MutationObserver(() => {
      const count = /^(?:all )?(\d+)/.exec(held.textContent);
      counts.push([performance.now(), Number(count![1])]);
    }).observe(held, { subtree: true, childList: true, characterData: true });
    Object.assign(window, { counts });
  });
  await edit(driver, exposure);
  await page.waitForFunction(
    ([few, all]) => {
      const counts = (window as unknown as { counts: [number, number][] }).counts.map(([, count]) => count);
      return counts.some((count) => count < few!) && counts.at(-1) === all;
    },
    [RUN_UP, STRETCH],
    { polling: 500, timeout: 120_000 },
  );
  const counts = await page.evaluate(() => (window as unknown as { counts: [number, number][] }).counts);
  const emptied = counts.findIndex(([, count]) => count < RUN_UP);
  const used = counts.slice(emptied).filter(([, count]) => count >= RUN_UP && count < STRETCH);
  const [[startMs, first], [endMs, last]] = [used[0]!, used.at(-1)!];
  return ((last - first) * 1000) / (endMs - startMs);
}

/** Rate of background rendering with two workers over twice that with one. */
export const parallelEfficiency: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    // No room on disk: what one round wrote would still be flushed to the drive during the next.
    await driver.setCap(16 * 2 ** 20);
    await driver.choose("background", "Off");
    await driver.type("Memory budget in gigabytes", "1");
    await driver.type("Idle delay", "0");
    // A light stretch, so that a round takes seconds.
    await driver.stretch(STRETCH);
    await page.keyboard.press("Home");
    await page.getByRole("button", { name: /^Reed line/ }).click();
    await driver.choose("background", "Idle");
    const rates: Record<number, number[]> = { 1: [], 2: [] };
    let exposure = -2;
    let worst = 0;
    // A first round warms the workers up; then one and two by turns, always on frames never seen before.
    for (let round = -1; round < ROUNDS; round++) {
      for (const workers of [1, 2]) {
        await driver.type("In parallel", String(workers));
        await page.getByRole("tab", { name: "Layer" }).click();
        const { result, stolen } = await undisturbed(() => fillingRate(driver, (exposure += 0.02)));
        if (round < 0) continue;
        rates[workers]!.push(result);
        worst = Math.max(worst, stolen);
      }
    }
    const [one, two] = [median(rates[1]!), median(rates[2]!)];
    return {
      value: rounded(two / (2 * one)),
      unit: "ratio",
      limit: "at least 0.8",
      framesPerSecondWith1: rounded(one),
      framesPerSecondWith2: rounded(two),
      eachRound: [1, 2].map((workers) => rates[workers]!.map((rate) => rounded(rate))),
      mostStolenShare: rounded(worst),
    };
  });
