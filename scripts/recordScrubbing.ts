// Records a scrubbing session on Night Roost, with a real pointer on the real terrain, to bench/scrubbing.json.
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium } from "@playwright/test";
import { buildGraph, FULL_QUALITY, parseDocumentText } from "@kinetocache/core";
import { startServer } from "@kinetocache/server";
import { builtPages } from "../packages/server/src/pages";
import config from "../playwright.config";
import { randoms } from "../testing/pictures";
import { nodeRenderer } from "../testing/renderer";

const MOVES = 60;
const folder = await mkdtemp(path.join(tmpdir(), "kinetocache-scrubbing-"));
const pages = () => Promise.resolve(builtPages(path.resolve("packages/web/dist")));
const server = await startServer({ data: folder, port: 0, pages });
const browser = await chromium.launch(config.use!.launchOptions);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(server.address);
await page.locator(".verdict-held").waitFor();
await page.evaluate(() => {
  const positions: number[] = [];
  const playhead = document.querySelector(".playhead")!;
  new MutationObserver(() => positions.push(Number(playhead.getAttribute("aria-valuenow")))).observe(playhead, {
    attributes: true,
    attributeFilter: ["aria-valuenow"],
  });
  Object.assign(window, { positions });
});
const box = (await page.locator(".terrain").boundingBox())!;
const next = randoms(20);
const y = box.y + 60;
let at = 0.2;
await page.mouse.move(box.x + at * box.width, y);
await page.mouse.down();
// Searching here and there, going back over what was found, resting on it.
for (let move = 0; move < MOVES; move++) {
  const isSearch = next() < 0.3;
  const target = isSearch ? next() : Math.min(0.99, Math.max(0.01, at + (next() - 0.5) * 0.12));
  await page.mouse.move(box.x + target * box.width, y, { steps: isSearch ? 12 : 8 });
  await page.waitForTimeout(60 + 240 * next());
  at = target;
}
await page.mouse.up();
const positions = await page.evaluate(() => (window as unknown as { positions: number[] }).positions);
await browser.close();
await server.close();
await rm(folder, { recursive: true, force: true });

const night = parseDocumentText(await readFile("demo/compositions/night-roost.json", "utf8"));
const renderer = await nodeRenderer();
renderer.setAssets(night.assets);
const costs = Array.from({ length: 240 }, (_, frame) => {
  const { ms } = renderer.render(buildGraph(night, frame, { ...FULL_QUALITY, fraction: 1 / 4 }));
  return Number(ms.toFixed(2));
});
await writeFile("bench/scrubbing.json", `${JSON.stringify({ composition: night.id, positions, costs })}\n`);
console.log(`${positions.length} positions`);
