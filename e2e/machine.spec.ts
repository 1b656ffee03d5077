import { readFile } from "node:fs/promises";
import path from "node:path";
import type { Page } from "@playwright/test";
import { TELL_PID, withProgram } from "../testing/program";
import {
  choose,
  chooseComposition,
  expect,
  framesInMemory,
  gauge,
  measureTake,
  openPreview,
  test,
  type,
  verdict,
} from "./application";

const row = (page: Page, name: string) => page.getByRole("row", { name: new RegExp(name) });
const sentence = (page: Page) => page.locator(".page-head h1");

async function openMachine(page: Page): Promise<void> {
  await page.getByRole("link", { name: "Machine" }).click();
  await expect(page.getByRole("region", { name: "How memory is shared" })).toBeVisible();
}

async function lookAt(page: Page, name: string): Promise<void> {
  await page.getByRole("button", { name: /look at another machine/ }).click();
  await page.getByRole("button", { name: new RegExp(`^${name}`) }).click();
}

test("memory is shared out by dragging and typing, in force at once, and frames in parallel take from the cache", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await type(page, "Idle delay", "0");
  await expect.poll(() => framesInMemory(page)).toBeGreaterThan(15);
  await openMachine(page);
  await expect(sentence(page)).toContainText("The cache can have");
  await type(page, "Memory cache", "0.5");
  await expect(gauge(page, "Memory cache")).toContainText("budget 512 MB");
  await expect(page.getByRole("region", { name: "What fits in the memory cache" })).toContainText(
    "What fits in 512 MB",
  );

  const cache = page.getByRole("slider", { name: "Memory cache, boundary" });
  await cache.focus();
  await page.keyboard.press("ArrowLeft");
  await expect(gauge(page, "Memory cache")).toContainText("budget 576 MB");
  const { x, y, height } = (await cache.boundingBox())!;
  await page.mouse.move(x + 7, y + height / 2);
  await page.mouse.down();
  await page.mouse.move(x - 120, y + height / 2, { steps: 4 });
  // The consequence shows while it is dragged, and only then is it applied.
  await expect(page.getByRole("region", { name: "What fits in the memory cache" })).not.toContainText(
    "What fits in 576 MB",
  );
  await expect(gauge(page, "Memory cache")).toContainText("budget 576 MB");
  await page.mouse.up();
  await expect(gauge(page, "Memory cache")).not.toContainText("budget 576 MB");

  const detail = page.locator(".page-head span");
  const before = await detail.innerText();
  // As many as there are cores to begin with, and no more than that.
  await page.getByRole("slider", { name: "Frames in parallel, boundary" }).focus();
  await page.keyboard.press("ArrowRight");
  await expect(detail).not.toHaveText(before);

  // Lowered, it evicts at once.
  await type(page, "Memory cache", "0.02");
  await expect(gauge(page, "Memory cache")).toContainText(/· (\d|10) fr/);
  await expect(sentence(page)).toHaveText("The cache is too small to scrub");
  // A slip of the hand is refused, and nothing changes.
  await type(page, "Memory cache", "100000");
  await expect(page.getByRole("alert")).toContainText('100000 GB is out of range for "Memory cache"');
  await expect(sentence(page)).toHaveText("The cache is too small to scrub");
  // What there is at most follows what is free, and may be less by the time that it is typed.
  await expect(async () => {
    const most = await page.getByLabel("Memory cache", { exact: true }).getAttribute("max");
    await type(page, "Memory cache", most!);
    await expect(sentence(page)).toHaveText("The system would start to swap", { timeout: 3000 });
  }).toPass();
});

test("another program is listed live, marked, asked to quit, and is gone", async ({ page, application }) => {
  const code = `globalThis.kept = Buffer.alloc(${48 * 2 ** 20}, 1); ${TELL_PID} setInterval(() => {}, 1000);`;
  await withProgram(code, async (executable) => {
    const name = path.basename(executable);
    await openPreview(page, application);
    await openMachine(page);
    await expect(row(page, name)).toContainText("Unknown: yours to judge");
    await expect(row(page, "Kinetocache and its browser")).toContainText("This application");
    await page.getByLabel(`Your mark for ${name}`).selectOption("Keep");
    await expect(row(page, name)).toContainText("Keep, as you said");
    await expect(page.getByRole("button", { name: `Ask to quit: ${name}` })).toBeDisabled();
    await page.getByLabel(`Your mark for ${name}`).selectOption("Not needed");
    await expect(row(page, name)).toContainText("Close it, you do not need it");
    await page.reload();
    await expect(row(page, name)).toContainText("Close it, you do not need it");
    await page.getByRole("button", { name: `Ask to quit: ${name}` }).click();
    await expect(page.locator(".notices")).toContainText(`${name} has closed; about`);
    await expect(row(page, name)).toHaveCount(0);
  });
});

test("a sheet is saved, tells what drifted, puts settings back, and is exported, removed and imported again", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await openMachine(page);
  const sheets = page.getByRole("region", { name: "Machine sheets" });
  await sheets.getByLabel("Name of the sheet").fill("Before the update");
  await sheets.getByRole("button", { name: "Save a sheet" }).click();
  await expect(sheets).toContainText("Nothing has drifted");
  await type(page, "Memory cache", "0.75");
  await type(page, "Kept free", "3");
  await expect(sheets.getByRole("row", { name: /Memory budget/ })).toContainText("768 MB");
  await expect(sheets.getByRole("row", { name: /Kept free/ })).toContainText("3.00 GB");
  await sheets.getByRole("button", { name: "Put the settings back" }).click();
  await expect(sheets).toContainText("Nothing has drifted");
  await expect(gauge(page, "Memory cache")).toContainText("budget 256 MB");

  const download = page.waitForEvent("download");
  await sheets.getByRole("button", { name: "Export" }).click();
  const text = await readFile(await (await download).path(), "utf8");
  await sheets.getByRole("button", { name: "Remove Before the update" }).click();
  await expect(sheets.getByRole("button", { name: /Before the update/ })).toHaveCount(0);
  const bringIn = (content: string) =>
    page
      .getByLabel("Machine sheet file")
      .setInputFiles({ name: "sheet.json", mimeType: "application/json", buffer: Buffer.from(content) });
  await bringIn(text.replace(/"cores": \d+/, '"cores": 10000'));
  await expect(page.locator(".notices")).toContainText("hardware.cores: must be less than or equal to 1024");
  await expect(sheets.getByRole("button", { name: /Before the update/ })).toHaveCount(0);
  await bringIn(text);
  await expect(sheets).toContainText("Nothing has drifted");
});

test("simulated machines are looked at, plainly marked, changed without touching this one, and compared with it", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await openMachine(page);
  await lookAt(page, "Field laptop");
  await expect(page.locator(".strip-machine")).toContainText("Field laptop simulated");
  await expect(page.getByRole("region", { name: "Heat, power and swapping" })).toContainText("Running on battery");
  await expect(row(page, "Card copier")).toContainText("Pause it while you work");
  await expect(row(page, "Audio service")).toContainText("Keep, playback needs it");
  await expect(row(page, "Installed memory")).toContainText("16.0 GB");
  await expect(row(page, "Plays with nothing cached")).toContainText("est.");
  await type(page, "Memory cache", "2");
  await expect(page.getByRole("region", { name: "What fits in the memory cache" })).toContainText(
    "What fits in 2.00 GB",
  );
  await expect(gauge(page, "Memory cache")).toContainText("budget 256 MB");

  await lookAt(page, "Tower");
  const graphics = page.getByRole("region", { name: "Graphics devices" });
  await expect(graphics).toContainText(/Effects on Dedicated graphics: about [\d.]+ frames a second/);
  await expect(graphics).toContainText("Clips decode best on Integrated graphics");

  await lookAt(page, "Suite with a host limit");
  await expect(graphics.getByRole("row", { name: /Basic display/ })).toContainText("a software stand-in");
  await expect(page.getByLabel("Host limit, 0 for none")).toHaveValue("4");
  await type(page, "Memory cache", "3.9");
  await expect(sentence(page)).toHaveText("The host limit is reached");
  await expect(page.locator(".page-head")).toContainText("more installed memory would not help");
  await expect(page.getByRole("region", { name: "Heat, power and swapping" })).toContainText("The system is swapping");
  await page.reload();
  await expect(page.locator(".strip-machine")).toContainText("Suite with a host limit simulated");
  await lookAt(page, "This machine");
  await expect(page.locator(".strip-machine")).toContainText("This machine");
});

test("without the server the last figures stay and are said to be old", async ({ page, application }) => {
  await openPreview(page, application);
  await openMachine(page);
  await application.stop("SIGKILL");
  await expect(page.locator(".page")).toContainText("these figures are the last it gave");
  await application.start();
  await expect(page.locator(".page")).not.toContainText("these figures are the last it gave");
});

test("a take notes what disturbed the machine meanwhile", async ({ page, application }) => {
  // Stands in for a laptop that swaps and is unplugged.
  await page.route("**/api/machine/disturbances", (route) =>
    route.fulfill({ json: { conditions: { swapRate: 4096, onBattery: true, temperatureCelsius: 60, clockShare: 1 } } }),
  );
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  await measureTake(page);
  await page.getByRole("link", { name: "Takes" }).click();
  const take = page.getByRole("region", { name: /^Take \d+$/ }).first();
  await expect(take).toContainText("The system is swapping");
  await expect(take).toContainText("Running on battery");
});

test("Bench says where things stand and leads, step by step, to real time", async ({ page, application }) => {
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  // Small frames are drawn in time on a busy machine too.
  await choose(page, "size", "25 %");
  await type(page, "Memory budget in gigabytes", "0.02");
  await type(page, "Idle delay", "0");
  await page.getByRole("link", { name: "Bench" }).click();
  const steps = page.getByRole("region", { name: "Next steps" });
  await expect(sentence(page)).toContainText("Ringing Station");
  await expect(row(page, "Memory")).toContainText(/holds \d+ of the 180 frames/);
  await expect(steps).toContainText("Measure a take");
  await steps.getByRole("button", { name: "Raise" }).click();
  await expect(row(page, "Memory")).toContainText("holds all 180 frames of the range");
  await expect(row(page, "Memory")).toContainText("180 are in it");
  await steps.getByRole("button", { name: "Measure" }).click();
  await expect(page.getByRole("button", { name: "Measure a take" })).toBeDisabled();
  await expect(page.getByRole("button", { name: "Measure a take" })).toBeEnabled();
  await page.getByRole("link", { name: "Bench" }).click();
  await expect(page.getByRole("region", { name: "Last takes" }).locator(".recharts-bar-rectangle")).toHaveCount(1);
  // Other programs may disturb a take; undisturbed it is in real time, and then Bench says so.
  await page.getByRole("link", { name: "Preview" }).click();
  await expect(async () => {
    if (!(await verdict(page).innerText()).includes("Plays in real time")) await measureTake(page);
    await expect(verdict(page)).toContainText("Plays in real time", { timeout: 5000 });
  }).toPass();
  await page.getByRole("link", { name: "Bench" }).click();
  await expect(steps).toContainText("Nothing more is needed");
});

test("what another machine would bring is tried on a copy, which is kept, compared, and removed", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await openMachine(page);
  const whatIf = page.getByRole("region", { name: "What if" });
  await type(page, "Installed", "64");
  await type(page, "Speed", "2");
  await whatIf.getByRole("button", { name: "Save as a new machine" }).click();
  await expect(page.locator(".strip-machine")).toContainText("This machine, 64 GB simulated");
  await expect(row(page, "Installed memory")).toContainText("64.0 GB");
  await expect(row(page, "Speed of rendering")).toContainText("2 × this");
  // Another one of that name is refused; nothing is lost.
  await lookAt(page, "This machine measured");
  await expect(page.getByRole("region", { name: "Machine sheets" })).toBeVisible();
  await type(page, "Installed", "64");
  await whatIf.getByRole("button", { name: "Save as a new machine" }).click();
  await expect(page.locator(".notices")).toContainText('There is a machine called "This machine, 64 GB" already');
  await lookAt(page, "This machine, 64 GB");
  await whatIf.getByRole("button", { name: "Remove This machine, 64 GB" }).click();
  await expect(page.locator(".strip-machine")).not.toContainText("64 GB simulated");
  await page.getByRole("button", { name: "Bring back" }).click();
  await expect(page.locator(".strip-machine")).toContainText("This machine, 64 GB simulated");
});

test("the rate against frames in parallel is measured on this machine, and any action stops it", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  await openMachine(page);
  const panel = page.getByRole("region", { name: "Frames in parallel, measured" });
  await panel.getByRole("button", { name: "Measure the curve" }).click();
  await expect(page.locator(".drawer")).toContainText("Measuring frames in parallel");
  await page.keyboard.press("Shift");
  await expect(page.locator(".notices")).toContainText("was stopped before its end");
  await expect(panel).toContainText("Not measured yet");
  await panel.getByRole("button", { name: "Measure the curve" }).click();
  await expect(panel).toContainText(/All \d+ help|hardly help/);
  await expect(panel.locator(".recharts-line")).toHaveCount(1);
});

test("without a graphics device the processor renders, and nothing else is offered", async ({ page, application }) => {
  await openPreview(page, application);
  await openMachine(page);
  const panel = page.getByRole("region", { name: "Graphics devices" });
  await expect(panel).toContainText("The browser offers no graphics device here: the processor renders.");
  await expect(panel.getByRole("radio", { name: "Processor" }).first()).toBeChecked();
  await expect(panel.getByRole("button", { name: /^Measure on/ })).toBeDisabled();
  await expect(panel).toContainText("Night Roost has no clips");
});
