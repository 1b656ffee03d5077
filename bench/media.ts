import { spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { stat } from "node:fs/promises";
import path from "node:path";
import { makeClip } from "../testing/clips";
import { withFolder } from "../testing/server";
import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { inTurn, rounded } from "./ratio";

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
async function registerClip({ page, url }: Driver, file: string, bytes: number): Promise<string> {
  const short = `${file}.short.mp4`;
  makeClip(short, { coded: "H.264, one long group", size: "1920x1080", rate: "24", seconds: 5, noisy: true });
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
  const location = await registerClip(driver, file, 2 ** 28);
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
