// Takes the pictures in docs/screenshots from the demo compositions. Run with: npm run screenshots
import { mkdir, mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium, type Page } from "@playwright/test";
import { parseDocumentText, type EmbeddedClip } from "@kinetocache/core";
import { startServer } from "@kinetocache/server";
import { builtPages } from "../packages/server/src/pages";
import config from "../playwright.config";
import { chooseIn, typeInto } from "../testing/preview";
import { makeDemoCaches } from "./demoCaches";

const folder = await mkdtemp(path.join(tmpdir(), "kinetocache-pictures-"));
const data = path.join(folder, "Kinetocache");
const made = makeDemoCaches(data);
const pages = () => Promise.resolve(builtPages(path.resolve("packages/web/dist")));
const server = await startServer({ data, port: 0, pages, demo: true });
const browser = await chromium.launch(config.use!.launchOptions);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: "light" });
page.setDefaultTimeout(180_000);

const says = (text: string) =>
  page.waitForFunction((wanted) => document.querySelector<HTMLElement>(".verdict")?.innerText.includes(wanted), text);
const picture = (name: string, of: Page = page) => of.screenshot({ path: `docs/screenshots/${name}.png` });

const type = (label: string, value: string) => typeInto(page, label, value);
const choose = (name: string, label: string) => chooseIn(page, name, label);

async function take(): Promise<void> {
  const button = page.getByRole("button", { name: "Measure a take" });
  await button.click();
  await page.waitForFunction(() => document.querySelector(".drawer strong")?.textContent === "Measuring a take");
  await page.waitForFunction(() => document.querySelector(".drawer strong")?.textContent !== "Measuring a take");
}

await page.goto(server.address);
await says("in memory");
await choose("background", "Off");
await take();
await type("Memory budget in gigabytes", "1");
await type("Idle delay", "1");
await choose("background", "Idle");
// Half of it filled shows both lanes, and the work in its drawer.
await page.waitForFunction(
  () => Number(/(\d+) of 240 frames in/.exec(document.querySelector<HTMLElement>(".verdict")!.innerText)?.[1]) > 170,
);
await picture("preview");
await page.getByRole("button", { name: "Switch to the dim theme" }).click();
await page.waitForTimeout(1500);
await picture("preview-dim");
await page.getByRole("button", { name: "Switch to the paper theme" }).click();
await says("all 240 frames in memory");
// Other programs may disturb a take: this one shows what the machine does when they do not.
for (let attempt = 0; attempt < 10; attempt++) {
  await take();
  await page.waitForTimeout(1000);
  if ((await page.locator(".verdict").innerText()).includes("in real time")) break;
  await page.getByRole("link", { name: "Takes" }).click();
  await page
    .getByRole("button", { name: /^Remove take/ })
    .first()
    .click();
  await page.getByRole("link", { name: "Preview" }).click();
}
await page.locator("label[for=order-time]").click();
await page.getByRole("button", { name: "Title card", exact: true }).click();
await page.getByText("Position, scale and rotation").click();
await page.waitForTimeout(2500);
await picture("layers-in-time");
await page.getByRole("button", { name: "Title card", exact: true }).click();
await page.locator("label[for=order-cost]").click();
await page.getByRole("button", { name: /^Reed line/ }).click();
await type("Exposure", "0.9");
await page.waitForTimeout(3000);
await picture("layer");
await page.getByRole("button", { name: /choose another/ }).click();
await page.getByRole("button", { name: "New composition…" }).click();
const dialog = page.getByRole("dialog");
await dialog.getByLabel("Name").fill("Flyway ident");
await dialog.getByLabel("Frames a second").fill("29.97");
await picture("new-composition");
await page.keyboard.press("Escape");
await page.waitForTimeout(5000);
await page.getByRole("button", { name: "Undo" }).click();
// A clip of the demo as it would lie in a folder of its own.
const reels = path.join(folder, "Flyway reels/roost");
await mkdir(reels, { recursive: true });
const demo = parseDocumentText(await readFile("demo/compositions/ringing-station.json", "utf8"));
const camera = demo.assets["nest-camera"] as EmbeddedClip;
await writeFile(path.join(reels, "nest camera.webm"), Buffer.from(camera.base64, "base64"));
await page.getByRole("tab", { name: "Media" }).click();
await page.getByRole("textbox", { name: "Folder with clips" }).fill(path.join(folder, "Flyway reels"));
await page.getByRole("button", { name: "Register this folder" }).click();
await page.getByRole("button", { name: "New composition of nest camera.webm" }).click();
await page.getByRole("button", { name: "Make the composition" }).click();
await says("all 150 frames in memory");
await page.waitForTimeout(6000);
await picture("media");
await page.getByRole("button", { name: /choose another/ }).click();
await page.getByRole("button", { name: "Remove nest camera" }).click();
await page.getByRole("button", { name: "Dismiss" }).first().click();
await page.getByRole("button", { name: /choose another/ }).click();
await page
  .getByRole("button", { name: /^Night Roost/ })
  .last()
  .click();
await says("in memory");
// The layer is still selected.
await page.getByRole("tab", { name: "Layer" }).click();
await type("Exposure", "-0.3");
await page.getByRole("link", { name: "Takes" }).click();
await page.waitForSelector(".recharts-line", { state: "attached" });
await picture("takes");
await page.getByRole("link", { name: "Sweep" }).click();
await page.getByRole("link", { name: "Folders" }).click();
for (const caches of made.folders)
  await page
    .getByRole("region", { name: `Folder ${caches}` })
    .getByText(/Scanned/)
    .waitFor();
await page.getByRole("link", { name: "Ledger" }).click();
await page.getByRole("row", { name: /Flyway Estuary.*Frames/ }).waitFor();
await page.getByText("Still working out which rendered frames can be shown again").waitFor({ state: "detached" });
await picture("sweep");
await page.getByRole("link", { name: "Rules" }).click();
await page
  .getByText(/would take .* GB/)
  .first()
  .waitFor();
await page.getByRole("list", { name: "What the paths would be" }).getByText("Frames of Flyway 101").waitFor();
await picture("sweep-rules");
await page.getByRole("link", { name: "Wrap" }).click();
await page
  .getByLabel(/^Project a composition/)
  .selectOption(path.join(made.projects, "Flyway 102/Flyway 102.project.json"));
await page.getByRole("list", { name: "Originals" }).waitFor();
await picture("sweep-wrap");
await page.getByRole("link", { name: "Storage" }).click();
for (const drive of ["Fast solid state drive", "Spinning drive"]) {
  await page.getByRole("radio", { name: drive }).check();
  await page.getByRole("button", { name: "Test this drive" }).click();
  await page.getByRole("button", { name: "Stop" }).waitFor();
  await page.getByRole("button", { name: "Test this drive" }).waitFor();
  await page.getByRole("button", { name: "Put a location here" }).click();
  await page.getByRole("button", { name: "Add this folder" }).click();
  await page.waitForTimeout(2500);
}
const measured = page.getByRole("region", { name: "Formats" }).getByRole("row", { name: /^packed/ });
for (const place of ["This browser", "…/Kinetocache/volume"]) {
  await page.getByRole("radio", { name: place }).check();
  await page.getByRole("button", { name: "Measure formats here" }).click();
  await measured.waitFor();
  await page.waitForTimeout(1500);
}
await picture("storage");
await page.getByRole("link", { name: "Bench" }).click();
await page.waitForSelector(".recharts-bar-rectangle", { state: "attached" });
await picture("bench");
await page.getByRole("link", { name: "Machine" }).click();
await page.getByRole("button", { name: /look at another machine/ }).click();
await page.getByRole("button", { name: /^Tower/ }).click();
await page.getByRole("region", { name: "Side by side" }).waitFor();
await picture("machine");
await page.getByRole("link", { name: "Preview" }).click();
await page.getByRole("button", { name: /^Composition/ }).click();
await page.getByText("Flyway Titles").click();
await says("of 192 frames");
await page.getByRole("button", { name: "Bake Skein" }).click();
await page.getByRole("tabpanel", { name: "Bakes" }).getByLabel("Size", { exact: true }).selectOption("0.5");
await page.locator(".bake-form").getByRole("button", { name: "Bake Skein" }).click();
await page.getByRole("listitem", { name: "Bake of Skein" }).getByText("Played, and up to date").waitFor();
await page.waitForTimeout(15_000);
await picture("preview-bake");
await page.locator(".playhead").focus();
for (let frame = 0; frame < 70; frame++) await page.keyboard.press("ArrowRight");
await page.getByRole("button", { name: "Compare with another variant" }).click();
await page.locator(".dropdown-item", { hasText: "First light" }).last().click();
await page.getByRole("button", { name: "Show with a wipe" }).click();
await page.waitForTimeout(5000);
await picture("preview-variants");

await browser.close();
await server.close();
await rm(folder, { recursive: true, force: true });
