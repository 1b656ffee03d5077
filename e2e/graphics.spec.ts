import { readFile } from "node:fs/promises";
import type { Page } from "@playwright/test";
import config from "../playwright.config";
import { SOFTWARE_GRAPHICS } from "../testing/parity/parity";
import { chooseComposition, expect, openPreview, test, type Application, verdict, choose } from "./application";

// The browser hands out a graphics device that is a program: everything happens as with a real one, slowly.
test.use({
  launchOptions: {
    ...config.use!.launchOptions,
    args: [...config.use!.launchOptions!.args!.filter((arg) => arg !== "--disable-gpu"), ...SOFTWARE_GRAPHICS],
  },
});

const panelOf = (page: Page) => page.getByRole("region", { name: "Graphics devices" });

async function openGraphics(page: Page, application: Application) {
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  await page.getByRole("link", { name: "Machine" }).click();
  const panel = panelOf(page);
  await expect(panel.getByRole("radio", { name: /software stand-in/ })).toBeVisible();
  return panel;
}

test("each device is measured on the open composition, and the verdict states both numbers", async ({
  page,
  application,
}) => {
  const panel = await openGraphics(page, application);
  await panel.getByRole("button", { name: "Measure on Ringing Station" }).click();
  await expect(page.locator(".drawer")).toContainText("Measuring graphics devices");
  await expect(panel).toContainText(
    /The processor renders Ringing Station fastest: [\d.]+ frames a second against [\d.]+ on/,
  );
  // Its pixels were compared with the processor's.
  const stand = panel.getByRole("row", { name: /software stand-in/ });
  await expect(stand).toContainText(/[0-2] of 255/);
  await panel.getByText("By effect, in a frame").click();
  await expect(panel.getByRole("row", { name: /^Flock/ })).toContainText(/[\d.]+ ms.*[\d.]+ ms/s);
  await page.reload();
  await expect(panel).toContainText("The processor renders Ringing Station fastest");
});

test("a chosen device renders; lost during play, the processor goes on and says so, until it is tried again", async ({
  page,
  browser,
  application,
}) => {
  const panel = await openGraphics(page, application);
  await panel.getByRole("radio", { name: /software stand-in/ }).check();
  await page.getByRole("link", { name: "Preview" }).click();
  await choose(page, "background", "Off");
  await choose(page, "pacing", "Show every frame");
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await expect(page.locator(".viewer-time")).toContainText(/frame [1-9]/);
  // The whole graphics process goes, as when a driver fails.
  await (await browser.newBrowserCDPSession()).send("Browser.crashGpuProcess");
  await expect(page.locator(".notices")).toContainText(/lost: .*[^.]\. The processor renders instead\./);
  const shown = await page.locator(".viewer-time").innerText();
  await expect(page.locator(".viewer-time")).not.toHaveText(shown);
  await expect(page.getByRole("button", { name: "Pause", exact: true })).toBeVisible();
  await page.getByRole("link", { name: "Machine" }).click();
  await expect(panel).toContainText("The processor renders instead.");
  await panel.getByRole("button", { name: "Try the device again" }).click();
  await expect(panel).not.toContainText("The processor renders instead.");
});

test("decoding is measured and chosen apart from effects", async ({ page, application }) => {
  const panel = await openGraphics(page, application);
  await panel.getByRole("button", { name: "Measure decoding" }).click();
  await expect(panel).toContainText(/decodes the clip of Ringing Station/);
  await expect(panel.getByRole("row", { name: /^Processor \d/ }).last()).toContainText("fps");
  await expect(panel.getByRole("radio", { name: "Processor", exact: true }).last()).toBeChecked();
});

test("a clip that is damaged is told of, and everything else goes on", async ({ page, application }) => {
  const demo = JSON.parse(await readFile("demo/compositions/ringing-station.json", "utf8"));
  const { base64 } = demo.assets["nest-camera"];
  demo.id = "damaged";
  demo.compositions["ringing-station"].name = "Damaged";
  demo.assets["nest-camera"].base64 = base64.slice(4000);
  await openPreview(page, application);
  await page.getByRole("button", { name: /choose another/ }).click();
  const buffer = Buffer.from(JSON.stringify(demo));
  await page
    .getByLabel("Composition file")
    .setInputFiles({ name: "damaged.json", mimeType: "application/json", buffer });
  await expect(page.locator(".notices")).toContainText(/could not be rendered: The clip/);
  await page.keyboard.press("Escape");
  await chooseComposition(page, "Night Roost");
  await expect(verdict(page)).toContainText("in memory");
});
