import { writeFile } from "node:fs/promises";
import path from "node:path";
import { document, layer } from "../testing/documents";
import { setSwitch } from "../testing/preview";
import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { frameWork } from "./mainThread";
import { median, rounded } from "./ratio";
import { undisturbed } from "./steal";

/** A number that the cache panel says. */
async function panelNumber({ page }: Driver, pattern: RegExp): Promise<number> {
  const text = (await page.locator(".response-note").textContent()) ?? "";
  const found = pattern.exec(text.replaceAll(",", ""));
  return found ? Number(found[1]) : NaN;
}

const renderedFrames = (driver: Driver) => panelNumber(driver, /^(\d+) frames? rendered/);

/** Lets the screen catch up with the engine. */
const settle = ({ page }: Driver) => page.waitForTimeout(700);

const ACTIONS = 30;
// After so many frames each worker has drawn the artwork.
const DRAWN = 8;

/** From a key press during filling to the moment at which nothing is rendered for filling any more. */
export const stopFillMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.setCap(16 * 2 ** 20);
    await setSwitch(page, "Sharpen when parked", false);
    await page.getByRole("button", { name: /^Reed line/ }).click();
    let exposure = 0;
    const cases: Record<string, Figure> = {};
    for (const [name, size] of [
      ["half size", "50 %"],
      ["full size", "100 %"],
    ] as const) {
      await driver.choose("size", size);
      await driver.type("Memory budget in gigabytes", "4");
      await driver.type("Idle delay", "0.5");
      // Artwork is drawn once for each worker and size, 50 to 140 ms at full size, and cannot be given up half-way.
      await driver.hasFrames(DRAWN);
      const times: number[] = [];
      for (let n = 0; n < ACTIONS; n++) {
        // An edit now and then, or all would be filled before long.
        if (n % 8 === 0) await driver.type("Exposure", (exposure += 0.02).toFixed(2));
        // Filling has begun, at another place of a frame each time.
        await page.getByRole("complementary", { name: "Work in progress" }).waitFor();
        await page.waitForTimeout(40 + 37 * (n % 7));
        await page.locator(".playhead").press(n % 2 ? "ArrowRight" : "ArrowLeft");
        await page.waitForTimeout(350);
        const ms = await panelNumber(driver, /gave way in ([\d.]+) ms/);
        if (Number.isFinite(ms)) times.push(ms);
      }
      const sorted = [...times].sort((a, b) => a - b);
      cases[name] = {
        value: rounded(sorted[Math.floor(sorted.length * 0.95)]!),
        unit: "ms, 95th percentile",
        limit: "at most 50",
        median: rounded(median(times)),
        largest: rounded(sorted.at(-1)!),
        actions: times.length,
      };
    }
    return cases;
  });

// Of the range; what is counted is the same for all of them.
const BACK_FRAMES = 48;
const ALL_BACK = `all ${BACK_FRAMES} frames in memory`;

async function fillBack(driver: Driver): Promise<void> {
  await driver.page.keyboard.press("f");
  await driver.verdict(ALL_BACK);
}

/** Frames rendered when going back to what was held before, by undo and redo, and by switching variants. */
async function rendersOf(goBack: (driver: Driver) => Promise<void>): Promise<Figure> {
  return Driver.with(async (driver) => {
    await driver.open();
    await driver.openComposition("Flyway Titles");
    await driver.choose("size", "25 %");
    await setSwitch(driver.page, "Sharpen when parked", false);
    await driver.type("Memory budget in gigabytes", "1");
    await driver.choose("background", "Off");
    await driver.stretch(BACK_FRAMES);
    await fillBack(driver);
    await goBack(driver);
    return { value: NaN, unit: "frames rendered", limit: "0" };
  });
}

/** What was rendered while something was done ten times. */
async function renderedDuring(driver: Driver, act: (time: number) => Promise<void>): Promise<number> {
  await settle(driver);
  const before = await renderedFrames(driver);
  for (let time = 0; time < 10; time++) {
    await act(time);
    await driver.verdict(ALL_BACK);
    await settle(driver);
  }
  return (await renderedFrames(driver)) - before;
}

export const undoRenders: Measure = async () => {
  let renders = NaN;
  const figure = await rendersOf(async (driver) => {
    const { page } = driver;
    await page.getByRole("button", { name: /^Sky/ }).click();
    await driver.type("Exposure", "0.7");
    await page.keyboard.press("Escape");
    await page.locator(".viewer-change", { hasText: "The edit: 192 frames to render again" }).waitFor();
    await fillBack(driver);
    renders = await renderedDuring(driver, (time) => page.keyboard.press(time % 2 ? "Control+Shift+Z" : "Control+z"));
  });
  return { ...figure, value: renders, times: 10 };
};

export const variantSwitchRenders: Measure = async () => {
  let renders = NaN;
  const figure = await rendersOf(async (driver) => {
    const { page } = driver;
    await page.locator(".playhead").focus();
    for (let variant = 0; variant < 3; variant++) {
      await page.keyboard.press("v");
      await settle(driver);
      await fillBack(driver);
    }
    renders = await renderedDuring(driver, () => page.keyboard.press("v"));
  });
  return { ...figure, value: renders, switches: 10 };
};

const CHANGES = 50;
const STRETCH = 6;

/** Takes with every frame shown after a change of the sky, in which anything of the lettering was rendered. */
export const stillBranchRenders: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.setCap(16 * 2 ** 20);
    await driver.openComposition("Flyway Titles");
    await driver.choose("size", "25 %");
    await setSwitch(page, "Sharpen when parked", false);
    await driver.choose("pacing", "Show every frame");
    await driver.type("Memory budget in gigabytes", "1");
    await driver.choose("background", "Off");
    // Where the lettering shows.
    await page.locator(".playhead").focus();
    for (let n = 0; n < 60; n++) await page.keyboard.press("ArrowRight");
    await page.keyboard.press("i");
    await driver.stretch(STRETCH);
    await page.keyboard.press("f");
    await driver.verdict(`all ${STRETCH} frames in memory`);
    // That the disk cache is full is said over the rows of the layers.
    await page.getByRole("alert").getByRole("button", { name: "Dismiss" }).click();
    await page.getByRole("button", { name: /^Sky/ }).click();
    let lettering = 0;
    let rendered = 0;
    for (let change = 0; change < CHANGES; change++) {
      await driver.type("Exposure", (0.1 + change * 0.02).toFixed(2));
      await page.keyboard.press("Escape");
      const take = await driver.take();
      rendered += take.summary.hits.rendered!;
      if (take.layerMs.some((one) => one.layer === "lettering" && one.ms > 0)) lettering++;
    }
    return {
      value: lettering,
      unit: "takes in which the lettering was rendered",
      limit: "0",
      changes: CHANGES,
      framesRendered: rendered,
    };
  });

const LONG = 100_000;
const MANY = 500;

/** Work of the page for a turn of the wheel over the terrain of a long composition with many layers. */
export const terrainFrameMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    const each = LONG / MANY;
    const layers = Array.from({ length: MANY }, (_, index) =>
      layer(`layer-${index}`, "solid", {}, { range: { in: index * each, out: (index + 1) * each } }),
    );
    const plain = document(layers, { id: "long" });
    const main = { ...plain.compositions.main!, name: "Long", duration: LONG };
    const file = path.join(driver.folder, "long.json");
    await writeFile(file, JSON.stringify({ ...plain, compositions: { main } }));
    await page.getByLabel("Composition file").setInputFiles(file);
    await page.getByRole("button", { name: /^Composition Long/ }).waitFor();
    await driver.choose("background", "Off");
    await driver.verdict("of 100,000 frames in memory");
    // Keys and estimates of all frames are worked out in the engine's worker.
    await page.waitForTimeout(20_000);
    // Within the page: a wheel that is turned from outside takes the page as long again to be told of.
    const turn = (turns: number, by: number) =>
      page.locator(".terrain").evaluate(
        async (terrain, [count, deltaY]) => {
          const box = terrain.getBoundingClientRect();
          const at = { clientX: box.x + box.width / 3, clientY: box.y + 40 };
          const target = terrain.ownerDocument.elementFromPoint(at.clientX, at.clientY)!;
          for (let n = 0; n < count!; n++) {
            target.dispatchEvent(new WheelEvent("wheel", { deltaY, bubbles: true, cancelable: true, ...at }));
            await new Promise((resolve) => requestAnimationFrame(resolve));
          }
        },
        [turns, by],
      );
    await turn(10, -40);
    await turn(10, 40);
    const work = await frameWork(page, 120, async () => {
      await turn(60, -40);
      await turn(60, 40);
    });
    return {
      value: rounded(work.ms),
      unit: "ms a frame on the main thread",
      limit: "at most 8",
      withIdleWork: rounded(work.withIdleMs),
      frames: LONG,
      layers: MANY,
    };
  });

/** Estuary Map at 50 %, all of it in memory. */
// One second: a whole composition of this size takes minutes to fill.
const FRAMES_4K = 24;

export const cached4k: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.setCap(16 * 2 ** 20);
    await driver.openComposition("Estuary Map");
    await setSwitch(page, "Sharpen when parked", false);
    await driver.type("Memory budget in gigabytes", "3");
    await driver.stretch(FRAMES_4K);
    await driver.type("Idle delay", "0");
    await driver.verdict(`all ${FRAMES_4K} frames in memory`);
    await driver.choose("background", "Off");
    await page.waitForTimeout(3000);
    const shares: number[] = [];
    let skipped = 0;
    for (let pass = 0; pass < 3; pass++) {
      const { result } = await undisturbed(() => driver.take(), 0.005);
      shares.push(result.summary.onTimeShare);
      skipped += result.summary.skipped;
    }
    return {
      value: rounded(shares.reduce((sum, share) => sum + share, 0) / shares.length, 4),
      unit: "share on time",
      limit: "at least 0.99",
      skipped,
      passes: shares.map((share) => rounded(share, 4)),
    };
  });

/** From navigation to the first picture in the viewer, which is held on disk; the median of five. */
export const startToFirstFrameMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await page.locator('.gauge[href="/storage"]', { hasText: /[1-9][\d,]* fr/ }).waitFor();
    const times: number[] = [];
    for (let n = 0; n < 5; n++) {
      await page.goto("about:blank");
      // The workers of the page before are gone.
      await page.waitForTimeout(1000);
      await page.goto(driver.url);
      times.push(
        await page.evaluate(async () => {
          // The canvas gets the picture's size with the first one.
          for (;;) {
            const canvas = window.document.querySelector<HTMLCanvasElement>(".viewer canvas");
            if (canvas && canvas.width > 16) return performance.now();
            await new Promise((resolve) => setTimeout(resolve, 4));
          }
        }),
      );
    }
    return {
      value: rounded(median(times)),
      unit: "ms",
      limit: "at most 1500",
      all: times.map((time) => rounded(time)),
    };
  });

/** From a key press to the moment at which the frame, which is held, is on show. */
export const seekToShownMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await setSwitch(page, "Sharpen when parked", false);
    await driver.fill();
    await driver.choose("background", "Off");
    await page.locator(".playhead").focus();
    const times: number[] = [];
    for (let n = 0; n < 30; n++) {
      await page.keyboard.press("ArrowRight");
      await page.waitForTimeout(250);
      times.push(await panelNumber(driver, /seek to a held frame took ([\d.]+) ms/));
    }
    return {
      value: rounded(median(times)),
      unit: "ms",
      limit: "at most 40",
      largest: rounded(Math.max(...times)),
      seeks: times.length,
    };
  });
