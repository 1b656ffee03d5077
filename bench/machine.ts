import { readdirSync, readFileSync } from "node:fs";
import {
  buildGraph,
  FULL_QUALITY,
  mainComposition,
  parseDocumentText,
  workingBuffers,
  type Composition,
} from "@kinetocache/core";
import { nodeRenderer } from "../testing/renderer";
import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { median, rounded } from "./ratio";

const POLL_MS = 25;

/** From lowering the budget by half until the page's process has given back 90 % of that. */
export const memoryReleaseMs: Measure = () =>
  Driver.with(async (driver) => {
    await driver.open();
    await driver.setCap(16 * 2 ** 20);
    await driver.fill();
    await driver.choose("background", "Off");
    await driver.page.waitForTimeout(3000);
    const heldBytes = (await driver.framesInMemory()) * 960 * 540 * 4;
    const before = await driver.pageProcessBytes();
    const wanted = before - (0.9 * heldBytes) / 2;
    const start = performance.now();
    // Typed in one go: half of what is held, and half of the budget, which the frames had filled.
    await driver.type("Memory budget in gigabytes", (heldBytes / 2 / 2 ** 30).toFixed(4));
    let now = await driver.pageProcessBytes();
    while (now > wanted && performance.now() - start < 20_000) {
      await driver.page.waitForTimeout(POLL_MS);
      now = await driver.pageProcessBytes();
    }
    return {
      value: rounded(performance.now() - start),
      unit: "ms",
      limit: "at most 2000",
      heldBytes,
      returnedBytes: before - now,
      reached: now <= wanted,
    };
  });

/** Ticks of a hundredth of a second that a process has spent. */
function ticksOf(pid: number): number {
  const stat = readFileSync(`/proc/${pid}/stat`, "latin1");
  const fields = stat.slice(stat.lastIndexOf(")") + 2).split(" ");
  return Number(fields[11]) + Number(fields[12]);
}

/** What the server takes of a core while Machine is open, and while it is not. */
export const probeCpuShare: Measure = () =>
  Driver.with(async (driver) => {
    await driver.open();
    // Frames that are written meanwhile would count as looking.
    await driver.setCap(16 * 2 ** 20);
    await driver.choose("background", "Off");
    const share = async (): Promise<number> => {
      await driver.page.waitForTimeout(3000);
      const [before, start] = [ticksOf(driver.serverPid), performance.now()];
      await driver.page.waitForTimeout(12_000);
      return ((ticksOf(driver.serverPid) - before) * 10) / (performance.now() - start);
    };
    await driver.page.getByRole("link", { name: "Machine" }).click();
    await driver.page.getByRole("region", { name: "Who else is using this machine" }).waitFor();
    const open = await share();
    await driver.page.getByRole("link", { name: "Takes" }).click();
    const closed = await share();
    return {
      value: rounded(open, 4),
      unit: "share of a core",
      limit: "at most 0.02",
      whileClosed: rounded(closed, 4),
      processes: readdirSync("/proc").filter((name) => /^\d+$/.test(name)).length,
    };
  });

/** From the click to memory, programs and what the cache buys being on the screen, on a page just opened. */
export const machineScreenReadyMs: Measure = async () => {
  const all: number[] = [];
  for (let round = 0; round < 3; round++) {
    all.push(
      await Driver.with(async (driver) => {
        await driver.open();
        await driver.choose("background", "Off");
        await driver.page.waitForTimeout(3000);
        return driver.page.evaluate(async () => {
          const start = performance.now();
          [...document.querySelectorAll<HTMLElement>(".rail a")].find((link) => link.innerText === "Machine")!.click();
          while (!document.querySelector(".programs tbody tr") || !document.querySelector(".buys tbody tr"))
            await new Promise((resolve) => setTimeout(resolve, 5));
          return performance.now() - start;
        });
      }),
    );
  }
  return { value: rounded(median(all)), unit: "ms", limit: "at most 1000", all: all.map((ms) => rounded(ms)) };
};

/** Predicted against measured peak of a renderer's working buffers, over every frame of each demo composition. */
export const workingBufferError: Measure = async () => {
  const cases: Record<string, Figure> = {};
  for (const file of readdirSync("demo/compositions")) {
    const document = parseDocumentText(readFileSync(`demo/compositions/${file}`, "utf8"));
    const renderer = await nodeRenderer();
    renderer.setAssets(document.assets);
    let measured = 0;
    for (const frame of sampleOf(mainComposition(document)))
      measured = Math.max(measured, renderer.render(buildGraph(document, frame, FULL_QUALITY)).peakBytes);
    const predicted = workingBuffers(document, FULL_QUALITY, 512 * 2 ** 20).peakBytes;
    cases[document.id] = {
      value: rounded(Math.abs(predicted / measured - 1), 4),
      unit: "share",
      limit: "at most 0.1",
      predictedBytes: predicted,
      measuredBytes: measured,
    };
  }
  return cases;
};

// What is alive at once changes where layers begin and end; in between it is looked at now and then.
const FRAMES_APART = 12;

function sampleOf({ duration, layers }: Composition): Set<number> {
  const regular = Array.from({ length: Math.ceil(duration / FRAMES_APART) }, (_, n) => n * FRAMES_APART);
  const ends = layers.flatMap(({ range }) => [range.in, range.out - 1]);
  return new Set([...regular, ...ends].filter((frame) => frame >= 0 && frame < duration));
}
