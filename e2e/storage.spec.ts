import { readdir } from "node:fs/promises";
import { expect, openPreview, test } from "./application";

test("the drive with the cache is listed, tested, stopped half-way, and its results are there after a restart", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await page.getByRole("link", { name: "Storage" }).click();
  const heading = page.locator(".page-head h1");
  const drives = page.getByRole("region", { name: "Drives" });
  const panel = page.getByRole("region", { name: "Test of a drive" });
  const start = panel.getByRole("button", { name: "Test this drive" });
  await expect(heading).toHaveText("The cache's drive is not tested yet");
  await expect(drives.getByRole("row", { name: /disk cache/ }).getByRole("radio")).toBeChecked();

  await start.click();
  await expect(panel.getByRole("progressbar")).toBeVisible();
  await expect(heading).toHaveText(/^(Fast enough|Too slow) to play from disk$/);
  await expect(drives.getByRole("row", { name: /disk cache/ })).toContainText(/MB\/s|GB\/s/);
  await start.click();
  await expect(panel.locator(".recharts-line")).toHaveCount(2);

  await start.click();
  await panel.getByRole("button", { name: "Stop" }).click();
  await expect(page.locator(".notices")).toContainText("The test was stopped; what it had written is removed.");
  const left = async () => (await readdir(`${application.data}/volume`)).filter((name) => name.includes("drive-test"));
  await expect.poll(left).toEqual([]);

  await panel.getByLabel("Folder to test in").fill("/no/such/folder");
  await start.click();
  await expect(page.locator(".notices")).toContainText("There is no folder /no/such/folder");

  await application.stop("SIGKILL");
  await application.start();
  await page.reload();
  await expect(panel.locator(".recharts-line")).toHaveCount(2);
});
