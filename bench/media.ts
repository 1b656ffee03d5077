import { spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { rm, stat } from "node:fs/promises";
import path from "node:path";
import type { Page } from "@playwright/test";
import { makeClip, type Coding } from "../testing/clips";
import { setSwitch } from "../testing/preview";
import { withFolder } from "../testing/server";
import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { inTurn, median, rounded } from "./ratio";

const STRETCH = 8 * 2 ** 20;
const ROUNDS = 15;

/** Repeats a clip as it is coded until it is so large. */
async function repeated(clip: string, bytes: number, to: string): Promise<void> {
  const times = Math.ceil(bytes / (await stat(clip)).size);
  const args = ["-v", "error", "-y", "-stream_loop", String(times - 1), "-i", clip, "-c", "copy", to];
  const { status, stderr } = spawnSync("ffmpeg", args);
  if (status !== 0) throw new Error(String(stderr));
}

/** Makes a clip in a folder of its own, beside the server's data. @returns id of the folder */
async function registerClip({ page, url }: Driver, file: string, bytes: number, coded: Coding): Promise<string> {
  const short = `${file}.short.mp4`;
  makeClip(short, { coded, size: "1920x1080", rate: "24", seconds: 5, noisy: true });
  await repeated(short, bytes, file);
  const data = { folder: path.dirname(file), holds: "media" };
  const response = await page.request.post(`${url}/api/locations`, { headers: { origin: url }, data });
  if (!response.ok()) throw new Error(await response.text());
  return ((await response.json()) as { id: string }).id;
}

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
  Driver.with((driver) => withFolder((folder) => rangeRead(driver, path.join(folder, "clip.mp4"))));

async function rangeRead(driver: Driver, file: string): Promise<Figure> {
  const location = await registerClip(driver, file, 2 ** 28, "H.264, one long group");
  const cookies = await driver.page.context().cookies(driver.url);
  const cookie = cookies.map(({ name, value }) => `${name}=${value}`).join("; ");
  const bare = spawn(process.execPath, ["-e", BARE, file]);
  try {
    const [port] = (await once(bare.stdout, "data")) as [Buffer];
    let at = 0;
    const read = async (target: string) => {
      const Range = `bytes=${at}-${at + STRETCH - 1}`;
      at = (at + STRETCH) % (2 ** 28 - STRETCH);
      const { byteLength } = await (
        await fetch(target, { headers: { Range, cookie, origin: driver.url } })
      ).arrayBuffer();
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
}

const LARGE_BYTES = 4 * 2 ** 30;
const OPENINGS = 3;

/**
 * From choosing a clip of 4 GB until its first frame is on show, from clicking into its middle until that one is, and
 * what the page has grown by then.
 */
export const largeClipOpenMs: Measure = () =>
  Driver.with((driver) =>
    withFolder(async (folder) => {
      const { page } = driver;
      await registerClip(driver, path.join(folder, "long day.mp4"), LARGE_BYTES, "H.264 of a camera");
      await rm(path.join(folder, "long day.mp4.short.mp4"));
      await driver.open();
      await driver.choose("background", "Off");
      await setSwitch(page, "Sharpen when parked", false);
      await page.getByRole("tab", { name: "Media" }).click();
      const add = page.getByRole("button", { name: "Add long day.mp4 as a layer" });
      await add.waitFor();
      const openMs: number[] = [];
      const seekMs: number[] = [];
      const grownBytes: number[] = [];
      for (let n = 0; n < OPENINGS; n++) {
        await emptyComposition(driver, `Long day ${n + 1}`);
        await page.getByRole("tab", { name: "Media" }).click();
        await driver.collectGarbage();
        const before = await driver.pageProcessBytes();
        openMs.push(await untilSaid(page, ".response-note", /last edit.*/, () => add.click()));
        const terrain = (await page.locator(".terrain").boundingBox())!;
        const middle = { x: terrain.width / 2, y: terrain.height / 2 };
        seekMs.push(
          await untilSaid(page, ".verdict-held", /^[\d,]+/, () => page.locator(".terrain").click({ position: middle })),
        );
        grownBytes.push((await driver.pageProcessBytes()) - before);
      }
      return {
        "to the first frame": {
          value: rounded(median(openMs)),
          unit: "ms",
          limit: "at most 1500",
          all: openMs.map(Math.round),
        },
        "to the middle": {
          value: rounded(median(seekMs)),
          unit: "ms",
          limit: "at most 500",
          all: seekMs.map(Math.round),
        },
        growth: {
          value: rounded(median(grownBytes) / 2 ** 20),
          unit: "MB",
          limit: "at most 100",
          all: grownBytes.map((bytes) => Math.round(bytes / 2 ** 20)),
        },
      };
    }),
  );

/** An empty composition for pictures like the clip's, and of its length. */
async function emptyComposition({ page }: Driver, name: string): Promise<void> {
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "New composition…" }).click();
  const dialog = page.getByRole("dialog", { name: "New composition" });
  for (const [label, text] of Object.entries({ Name: name, Width: "1920", Height: "1080", "Frames a second": "24" }))
    await dialog.getByLabel(label).fill(text);
  await dialog.getByLabel("Length").fill("00:05:40:00");
  await dialog.getByRole("button", { name: "Make the composition" }).click();
  await dialog.waitFor({ state: "detached" });
}

/** Milliseconds from a press in the page until a text on it is another than before, looked at once a picture. */
async function untilSaid(page: Page, place: string, wanted: RegExp, press: () => Promise<void>): Promise<number> {
  const before = wanted.exec((await page.locator(place).textContent()) ?? "")?.[0];
  await page.evaluate(() =>
    window.addEventListener("pointerdown", () => performance.mark("pressed"), { capture: true, once: true }),
  );
  await press();
  const said = await page.waitForFunction(
    ([place, wanted, before]) => {
      const now = new RegExp(wanted).exec(window.document.querySelector(place)?.textContent ?? "")?.[0];
      return now !== undefined && now !== before
        ? performance.now() - performance.getEntriesByName("pressed").at(-1)!.startTime
        : undefined;
    },
    [place, wanted.source, before] as const,
  );
  return (await said.jsonValue())!;
}
