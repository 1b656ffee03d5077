import { spawn } from "node:child_process";
import { readFileSync } from "node:fs";
import { availableParallelism } from "node:os";
import { FULL_QUALITY, parseDocumentText, workingBuffers } from "@kinetocache/core";
import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { rounded } from "./ratio";

const MIB = 2 ** 20;
const POLL_MS = 25;
const LONGEST_MS = 20_000;

/**
 * From opening a small composition after a large one until the page's process is back within the budget for cached
 * frames, the working buffers of the small one, and 300 MB.
 */
export const memoryAfterSwitchMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.setCap(16 * MIB);
    await driver.type("Idle delay", "0");
    await driver.openComposition("Estuary Map");
    await driver.choose("size", "100 %");
    await driver.choose("depth", "float");
    await driver.type("Memory budget in gigabytes", "0.5");
    await driver.hasFrames(3);
    const largeBytes = await driver.pageProcessBytes("Pss");
    const station = parseDocumentText(readFileSync("demo/compositions/ringing-station.json", "utf8"));
    const buffers = availableParallelism() * workingBuffers(station, FULL_QUALITY).memoryBytes;
    const most = 0.5 * 2 ** 30 + buffers + 300 * MIB;
    await driver.openComposition("Ringing Station");
    const start = performance.now();
    let now = await driver.pageProcessBytes("Pss");
    while (now > most && performance.now() - start < LONGEST_MS) {
      await page.waitForTimeout(POLL_MS);
      now = await driver.pageProcessBytes("Pss");
    }
    return {
      value: rounded(performance.now() - start),
      unit: "ms",
      limit: "at most 2000",
      reached: now <= most,
      largeBytes,
      mostBytes: Math.round(most),
      bytesThen: now,
    };
  });

/** What each layer costs on average over the range, by the list on Preview. */
async function layerCosts(driver: Driver): Promise<ReadonlyMap<string, number>> {
  await driver.page.locator("label[for=over-range]").click();
  const rows = await driver.page
    .locator(".layer-row")
    .evaluateAll((all) =>
      all.map((row): [string, string] => [
        row.querySelector<HTMLElement>(".layer-name strong")!.innerText,
        row.querySelector<HTMLElement>(".layer-ms")!.innerText,
      ]),
    );
  return new Map(rows.map(([name, text]) => [name, Number(/[\d.]+/.exec(text)?.[0])]));
}

// The server has folders to go through when it starts, and the page its code to compile.
const SETTLE_MS = 10_000;
// What others cost is lost in the clock's own steps.
const LEAST_MS = 2;
const STRETCH = 20;
// Of Night Roost.
const FRAMES = 240;

/** The largest difference of a layer's cost, as a share. */
function largestChange(before: ReadonlyMap<string, number>, after: ReadonlyMap<string, number>): number {
  const dear = [...before].filter(([, ms]) => ms >= LEAST_MS);
  return Math.max(...dear.map(([name, ms]) => Math.abs(after.get(name)! / ms - 1)));
}

async function sameStretch(driver: Driver): Promise<void> {
  const { page } = driver;
  const playhead = page.locator(".playhead");
  const { width } = (await playhead.boundingBox())!;
  // By two presses: what is rendered on the way there by single steps is measured too.
  for (const [frame, key] of [
    [100, "i"],
    [99 + STRETCH, "o"],
  ] as const) {
    await playhead.click({ position: { x: ((frame + 0.5) * width) / FRAMES, y: 40 } });
    await page.keyboard.press(key);
  }
  await page.locator(".range-text", { hasText: `in 100 – out ${99 + STRETCH}` }).waitFor();
}

/** Layers' costs over 20 frames on an idle machine, with a busy process on each core, and after a reload. */
export const costRepeat: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.setCap(16 * MIB);
    await driver.choose("background", "Off");
    await driver.type("Idle delay", "0");
    await page.waitForTimeout(SETTLE_MS);
    await sameStretch(driver);
    await page.getByRole("button", { name: /^Reed line/ }).click();
    let exposure = 0;
    const renderAnew = async () => {
      await driver.choose("background", "Off");
      await page.getByRole("tab", { name: "Layer" }).click();
      await driver.type("Exposure", (exposure += 0.02).toFixed(2));
      await driver.choose("background", "Idle");
      await driver.verdict(`all ${STRETCH} frames in memory`);
      await driver.choose("background", "Off");
      await page.waitForTimeout(500);
      return layerCosts(driver);
    };
    for (let n = 0; n < 3; n++) await renderAnew();
    const before = await renderAnew();
    const busy = Array.from({ length: availableParallelism() }, () => spawn(process.execPath, ["-e", "for (;;);"]));
    let among: ReadonlyMap<string, number>;
    try {
      // The server knows of them once it has looked twice.
      await page.waitForTimeout(3000);
      // How much they take is told once a second while frames are rendered.
      await renderAnew();
      among = await renderAnew();
    } finally {
      for (const one of busy) one.kill("SIGKILL");
    }
    await page.waitForTimeout(4000);
    // The machine is not as fast as it was a minute ago: what lies between two measurements is compared with both.
    const last = await renderAnew();
    const alone = new Map([...before].map(([name, ms]) => [name, (ms + last.get(name)!) / 2]));
    await page.waitForTimeout(4000);
    await page.reload();
    await driver.verdict("in memory");
    await sameStretch(driver);
    const figure = (value: number, limit: string): Figure => ({ value: rounded(value), unit: "share", limit });
    const after = await layerCosts(driver);
    const each = [...before].map(([name, ms]) =>
      [name, ms, among.get(name), last.get(name), after.get(name)].join(" "),
    );
    return {
      "busy machine": { ...figure(largestChange(alone, among), "at most 0.15"), eachLayerMs: each },
      "after a reload": figure(largestChange(last, after), "at most 0.05"),
    };
  });

/** Milliseconds that the drawer says filling will take. */
async function saidMs(driver: Driver): Promise<number> {
  const text = await driver.page.getByRole("complementary", { name: "Work in progress" }).innerText();
  const [, amount, unit] = /([\d.]+) (ms|s|min) left/.exec(text) ?? [];
  return Number(amount) * { ms: 1, s: 1000, min: 60_000 }[unit as "ms" | "s" | "min"];
}

const FIRST_MS = 2000;

async function fillingTime(driver: Driver): Promise<Figure> {
  const { page } = driver;
  await driver.choose("background", "Idle");
  await page.getByRole("complementary", { name: "Work in progress" }).waitFor();
  await page.waitForTimeout(FIRST_MS);
  const said = await saidMs(driver);
  const start = performance.now();
  await driver.verdict("all 240 frames in memory");
  const took = performance.now() - start;
  await driver.choose("background", "Off");
  return {
    value: rounded(said / took),
    unit: "of the time that it took",
    limit: "between 0.8 and 1.25",
    saidMs: said,
    tookMs: rounded(took),
  };
}

/** The time for filling that is said two seconds after it began, over what it then took. */
export const fillEstimate: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.choose("background", "Off");
    await driver.type("Memory budget in gigabytes", "1");
    await driver.type("Idle delay", "0");
    await page.waitForTimeout(SETTLE_MS);
    const rendering = await fillingTime(driver);
    // All of it is written once the queue is empty.
    await page.waitForFunction(
      () => /2(39|40|41) fr/.test(document.querySelector<HTMLElement>('.gauge[href="/storage"]')?.innerText ?? ""),
      undefined,
      { polling: 500 },
    );
    await page.reload();
    await driver.verdict("in memory");
    await page.waitForTimeout(3000);
    return { rendering, "reading from disk": await fillingTime(driver) };
  });
