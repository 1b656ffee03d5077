// Makes the clip of Ringing Station, the nest camera, and puts it into demo/compositions/ringing-station.json.
import { readFile, writeFile } from "node:fs/promises";
import { createRequire } from "node:module";
import { chromium } from "@playwright/test";
import { buildGraph, FULL_QUALITY, type EmbeddedClip, type Document } from "@kinetocache/core";
import config from "../playwright.config";
import { document, effect, layer } from "../testing/documents";
import { nodeRenderer } from "../testing/renderer";

const FILE = "demo/compositions/ringing-station.json";
const [WIDTH, HEIGHT, RATE, FRAMES] = [480, 270, 25, 150];

const scene = document([
  layer("reeds", "gradient", { x1: 0, y1: 270, colour0: "#7d8a6a", colour1: "#5b6a45", colour2: "#2c3622" }),
  layer(
    "light",
    "noise",
    { colour: "#d8d2a0", size: 90, stretch: 0.4, detail: 3, driftX: 14, evolution: 0.3 },
    {
      opacity: 0.35,
      blend: "screen",
    },
  ),
  layer(
    "tits",
    "flock",
    { colour: "#20180f", count: 9, wingspan: 46, spread: 60, centreX: 240, centreY: 120, speed: 0.7 },
    {
      effects: [effect("directionalBlur", { length: 6, angle: 8 })],
    },
  ),
]);
const plain = scene.compositions.main!;
const opened: Document = {
  ...scene,
  compositions: {
    main: {
      ...plain,
      width: WIDTH,
      height: HEIGHT,
      rate: { numerator: RATE, denominator: 1 },
      duration: FRAMES,
      layers: plain.layers.map((one) => ({ ...one, range: { in: 0, out: FRAMES } })),
    },
  },
};

const renderer = await nodeRenderer();
const browser = await chromium.launch(config.use!.launchOptions);
const page = await browser.newPage();
const muxer = createRequire(import.meta.url)
  .resolve("mediabunny")
  .replace(/[^/\\]*$/, "mediabunny.mjs");
await page.route("http://127.0.0.1/**", async (route) => {
  const isMuxer = route.request().url().endsWith(".mjs");
  await route.fulfill({
    contentType: isMuxer ? "text/javascript" : "text/html",
    body: isMuxer ? await readFile(muxer, "utf8") : "<title>Clip</title>",
  });
});
await page.exposeFunction("frameAt", (frame: number) =>
  Buffer.from(renderer.render(buildGraph(opened, frame, FULL_QUALITY)).pixels).toString("base64"),
);
await page.goto("http://127.0.0.1/");
const base64 = await page.evaluate(
  async ({ width, height, rate, frames, module }) => {
    const { BufferTarget, CanvasSource, Output, WebMOutputFormat } = (await import(
      module
    )) as typeof import("mediabunny");
    const canvas = new OffscreenCanvas(width, height);
    const context = canvas.getContext("2d")!;
    const target = new BufferTarget();
    const output = new Output({ format: new WebMOutputFormat(), target });
    const source = new CanvasSource(canvas, { codec: "vp9", bitrate: 90_000, keyFrameInterval: 0.4 });
    output.addVideoTrack(source, { frameRate: rate });
    await output.start();
    const { frameAt } = globalThis as unknown as { frameAt: (frame: number) => Promise<string> };
    for (let frame = 0; frame < frames; frame++) {
      const pixels = Uint8ClampedArray.from(atob(await frameAt(frame)), (character) => character.charCodeAt(0));
      context.putImageData(new ImageData(pixels, width, height), 0, 0);
      await source.add(frame / rate, 1 / rate);
    }
    await output.finalize();
    return btoa(Array.from(new Uint8Array(target.buffer!), (byte) => String.fromCharCode(byte)).join(""));
  },
  { width: WIDTH, height: HEIGHT, rate: RATE, frames: FRAMES, module: "/mediabunny.mjs" },
);
await browser.close();

const clip: EmbeddedClip = {
  kind: "clip",
  width: WIDTH,
  height: HEIGHT,
  rate: { numerator: RATE, denominator: 1 },
  duration: FRAMES,
  base64,
};
const demo = JSON.parse(await readFile(FILE, "utf8")) as { assets: Record<string, unknown> };
demo.assets["nest-camera"] = clip;
await writeFile(FILE, `${JSON.stringify(demo, null, 1)}\n`);
console.log(`${Math.round((base64.length * 3) / 4096)} kB, ${FRAMES} frames`);
