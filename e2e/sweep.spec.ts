import { readFile } from "node:fs/promises";
import type { Page } from "@playwright/test";
import { choose, chooseComposition, expect, openPreview, test } from "./application";

const row = (page: Page) =>
  page.getByRole("region", { name: "Cached frames" }).getByRole("row", { name: /Ringing Station/ });
const press = (page: Page, mark: "Keep" | "Delivered") =>
  page.getByRole("button", { name: `${mark}: Ringing Station` }).click();

test("what is kept never goes, what is delivered may, and both marks are there tomorrow", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await choose(page, "background", "Off");
  await chooseComposition(page, "Ringing Station");
  await choose(page, "size", "25 %");
  await page.getByRole("button", { name: "Measure a take" }).click();
  await expect.poll(async () => (await application.frameFiles("ringing-station")).length).toBeGreaterThan(20);
  await chooseComposition(page, "Night Roost");
  await page.getByRole("link", { name: "Sweep" }).click();
  await expect(row(page)).toContainText("in use");
  await expect(page.locator("h1")).toHaveText("Nothing is stale");

  await press(page, "Delivered");
  await expect(row(page)).toContainText("Ringing Station is delivered");
  await expect(page.locator("h1")).toHaveText(/can go$/);
  // Frames of the take may still be on their way to disk.
  const shown = async () => Number(await row(page).locator(".number").first().innerText());
  await expect.poll(async () => (await shown()) - (await application.frameFiles("ringing-station")).length).toBe(0);
  const csv = page.waitForEvent("download");
  await page.getByRole("button", { name: "CSV" }).click();
  const lines = (await readFile(await (await csv).path(), "utf8")).trim().split("\r\n");
  const delivered = lines.filter((line) => line.includes("Ringing Station,delivered"));
  expect(delivered.length).toBe(await shown());
  const json = page.waitForEvent("download");
  await page.getByRole("button", { name: "JSON" }).click();
  expect(JSON.parse(await readFile(await (await json).path(), "utf8"))).toMatchObject({
    format: "kinetocache-ledger",
    items: expect.arrayContaining([expect.objectContaining({ owner: "ringing-station", state: "delivered" })]),
  });
  await press(page, "Keep");
  await expect(row(page)).toContainText("you keep all of Ringing Station");
  await expect(page.locator("h1")).toHaveText("Nothing is stale");
  await expect(page.getByLabel("Select Ringing Station, kept")).toBeDisabled();
  await expect(page.getByRole("button", { name: "Move to holding" })).toBeDisabled();

  await application.stop();
  await application.start();
  await page.reload();
  await expect(page.getByRole("button", { name: "Keep: Ringing Station" })).toHaveAttribute("aria-pressed", "true");
  await page.getByRole("link", { name: "Storage" }).click();
  await expect(page.getByRole("button", { name: /^stale only 0 B/ })).toBeDisabled();

  await page.getByRole("link", { name: "Sweep" }).click();
  await press(page, "Delivered");
  await page.getByRole("button", { name: /^Move .* to holding$/ }).click();
  await expect(row(page)).toHaveCount(0);
  await expect.poll(async () => (await application.frameFiles("ringing-station")).length).toBe(0);
  await expect(page.getByRole("region", { name: "Holding" })).toContainText(
    /frames of Ringing Station.*goes in 7 days/,
  );
  const days = page.getByLabel("Days until holding empties itself");
  await days.fill("30");
  await days.press("Enter");
  await expect(page.getByRole("region", { name: "Holding" })).toContainText("goes in 30 days");
  await page.getByLabel("Empties itself after").click();
  await expect(page.getByRole("region", { name: "Holding" })).toContainText("stays until you empty it");
  await page.getByRole("button", { name: "Bring back" }).click();
  await expect(row(page)).toContainText("Ringing Station is delivered");
  await page.getByRole("link", { name: "Preview" }).click();
  await chooseComposition(page, "Ringing Station");
});
