import { spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { mkdir, stat } from "node:fs/promises";
import path from "node:path";
import type { Page } from "@playwright/test";
import { makeClip } from "../testing/clips";
import { Driver } from "./browser";
import type { Measure } from "./figure";
import { inTurn, median, rounded } from "./ratio";

const LARGE = 4 * 2 ** 30;
const STRETCH = 8 * 2 ** 20;
const ROUNDS = 15;

/** Repeats a clip as it is coded until it is so large. */
async function repeated(clip: string, bytes: number, to: string): Promise<void> {
  const times = Math.ceil(bytes / (await stat(clip)).size);
  const args = ["-v", "error", "-y", "-stream_loop", String(times - 1), "-i", clip, "-c", "copy", to];
  const { status, stderr } = spawnSync("ffmpeg", args);
  if (status !== 0) throw new Error(String(stderr));
}

/** Makes a clip in a folder of source media. @returns id of the folder */
async function withClip({ page, url, folder }: Driver, name: string, bytes: number): Promise<string> {
  const media = path.join(folder, "media");
  await mkdir(media);
  const short = path.join(folder, "short.mp4");
  makeClip(short, { coded: "H.264, one long group", size: "1920x1080", rate: "24", seconds: 10, noisy: true });
  await repeated(short, bytes, path.join(media, name));
  const data = { folder: media, holds: "media" };
  const response = await page.request.post(`${url}/api/locations`, { headers: { origin: url }, data });
  return ((await response.json()) as { id: string }).id;
}

/** Does something, and waits until the viewer shows another picture. @returns what that took, in ms */
async function untilShown(page: Page, act: () => Promise<void>): Promise<number> {
  const { x, y } = (await page.locator(".viewer canvas").boundingBox())!;
  const picture = () => page.screenshot({ clip: { x: x + 60, y: y + 60, width: 200, height: 100 } });
  const before = await picture();
  const start = performance.now();
  await act();
  while ((await picture()).equals(before));
  return performance.now() - start;
}

/** A clip of 4 GB: from choosing it to its first picture, a jump to its middle, and what the page grows by. */
export const largeClipOpen: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await withClip(driver, "large.mp4", LARGE);
    await driver.choose("background", "Off");
    await page.getByRole("tab", { name: "Media" }).click();
    const make = page.getByRole("button", { name: "Make a composition of large.mp4" });
    await make.waitFor();
    await driver.collectGarbage();
    const before = await driver.pageProcessBytes();
    const start = performance.now();
    await make.click();
    await page.getByRole("button", { name: "Make the composition" }).waitFor();
    const readMs = performance.now() - start;
    const showMs = await untilShown(page, () => page.getByRole("button", { name: "Make the composition" }).click());
    const box = (await page.locator(".terrain").boundingBox())!;
    const seeks: number[] = [];
    for (const share of [0.5, 0.25, 0.75, 0.4, 0.6])
      seeks.push(await untilShown(page, () => page.mouse.click(box.x + share * box.width, box.y + box.height / 2)));
    await driver.collectGarbage();
    const grown = (await driver.pageProcessBytes()) - before;
    return {
      open: { value: rounded(readMs + showMs), unit: "ms", limit: "at most 1500", readMs: rounded(readMs) },
      seek: { value: rounded(median(seeks)), unit: "ms", limit: "at most 500", all: seeks.map((ms) => rounded(ms)) },
      page: { value: rounded(grown / 2 ** 20), unit: "MB more", limit: "at most 100" },
    };
  });

/** A server that does nothing but give stretches of one file. */
const BARE = `
  const { createReadStream } = require("node:fs");
  require("node:http").createServer((request, response) => {
    const [, start, end] = /bytes=(\\d+)-(\\d+)/.exec(request.headers.range);
    response.writeHead(206, { "Content-Length": end - start + 1 });
    createReadStream(process.argv[1], { start: Number(start), end: Number(end) }).pipe(response);
  }).listen(0, "127.0.0.1", function () { process.stdout.write(String(this.address().port)); });`;

/** Media through the server against a plain fetch of the same bytes. */
export const serverRangeRead: Measure = () =>
  Driver.with(async (driver) => {
    const location = await withClip(driver, "clip.mp4", 2 ** 28);
    const cookies = await driver.page.context().cookies(driver.url);
    const cookie = cookies.map(({ name, value }) => `${name}=${value}`).join("; ");
    const bare = spawn(process.execPath, ["-e", BARE, path.join(driver.folder, "media/clip.mp4")]);
    try {
      const [port] = (await once(bare.stdout, "data")) as [Buffer];
      let at = 0;
      const read = async (target: string) => {
        const Range = `bytes=${at}-${at + STRETCH - 1}`;
        at = (at + STRETCH) % (2 ** 28 - STRETCH);
        const { byteLength } = await (await fetch(target, { headers: { Range, cookie } })).arrayBuffer();
        if (byteLength !== STRETCH) throw new Error(`${byteLength} bytes came`);
      };
      const times = await inTurn(
        {
          own: () => read(`${driver.url}/api/media/${location}?path=clip.mp4`),
          plain: () => read(`http://127.0.0.1:${String(port)}/`),
        },
        ROUNDS,
      );
      const rate = (ms: number) => rounded((1000 * STRETCH) / ms / 2 ** 20);
      return {
        value: rounded(times.plain / times.own),
        unit: "times a plain fetch",
        limit: "at least 0.9",
        megabytesASecond: rate(times.own),
        megabytesASecondPlain: rate(times.plain),
      };
    } finally {
      bare.kill();
    }
  });
