import path from "node:path";
import {
  chooseComposition,
  expect,
  gauge,
  limitRange,
  openPreview,
  steadyPicture,
  sweepSelected,
  test,
  type,
  verdict,
  choose,
  setSwitch,
} from "./application";

// A range of so many is enough for every way to store a frame.
const FRAMES = 60;

test("frames of every depth and packing come back from disk as they were", async ({ page, application }) => {
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  await setSwitch(page, "Sharpen when parked", false);
  await choose(page, "background", "Off");
  await choose(page, "size", "25 %");
  await type(page, "Memory budget in gigabytes", "1");
  await type(page, "Idle delay", "0");
  await limitRange(page, FRAMES);
  const extensions = async () => {
    const files = await application.frameFiles("ringing-station");
    return files
      .map((file) => path.extname(file))
      .reduce<Record<string, number>>((sum, name) => {
        sum[name] = (sum[name] ?? 0) + 1;
        return sum;
      }, {});
  };
  const cases = [
    { depth: "8-bit", packed: true, extension: ".qoi", bytes: 4 },
    { depth: "half", packed: false, extension: ".exr", bytes: 8 },
    { depth: "float", packed: false, extension: ".exr", bytes: 16 },
  ];
  for (const { depth, packed, extension, bytes } of cases) {
    await page.getByRole("link", { name: "Storage" }).click();
    await page.getByLabel("Packing", { exact: true }).selectOption(packed ? "packed" : "plain");
    // These frames are light: some would not be worth storing.
    await page.getByLabel("Also frames that read back slower than they render").setChecked(true);
    await page.getByRole("link", { name: "Preview" }).click();
    const before = (await extensions())[extension] ?? 0;
    await choose(page, "depth", depth);
    await expect(page.locator(`label[for=depth-${depth}]`)).toContainText(`${(320 * 180 * bytes) / 1024} kB`);
    await choose(page, "background", "Idle");
    await expect(verdict(page)).toContainText(`all ${FRAMES} frames in memory`);
    // The frame on show may have been stored before the packing was chosen.
    await expect.poll(async () => (await extensions())[extension]).toBeGreaterThanOrEqual(before + FRAMES - 1);
    await page.locator(".playhead").focus();
    await page.keyboard.press("Home");
    const picture = await steadyPicture(page);
    // Nothing is in memory after this; whatever is shown was read from disk.
    await page.reload();
    // What is stepped through before it is known what is on disk is rendered.
    await expect(verdict(page)).toContainText(/(all 180|\d{2,} of 180) frames held/);
    await limitRange(page, FRAMES);
    await expect(verdict(page)).toContainText(`all ${FRAMES} frames in memory`);
    await page.keyboard.press("Home");
    await expect(gauge(page, "Read-back")).not.toContainText("not measured");
    await choose(page, "background", "Off");
    expect(Buffer.compare(await steadyPicture(page), picture)).toBe(0);
  }
});

test("a composition that is removed leaves orphaned frames, which Sweep names and lets go", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  await choose(page, "size", "25 %");
  await page.getByRole("button", { name: "Measure a take" }).click();
  await expect.poll(async () => (await application.frameFiles("ringing-station")).length).toBeGreaterThan(20);
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "Remove Ringing Station" }).click();
  const open = (name: string) => page.getByRole("button", { name: `Composition ${name}; choose another` });
  await expect(open("Estuary Map")).toBeVisible();
  const bringBack = page.getByRole("button", { name: "Bring back" });
  const colours = await bringBack.evaluate((button) => {
    const [own, around] = [getComputedStyle(button), getComputedStyle(button.closest(".alert")!)];
    return { own: own.color, behind: own.backgroundColor, around: around.backgroundColor };
  });
  expect(colours.behind).toBe("rgba(0, 0, 0, 0)");
  expect(colours.own).not.toBe(colours.around);
  await bringBack.click();
  await expect(open("Ringing Station")).toBeVisible();
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "Remove Ringing Station" }).click();
  await expect(open("Estuary Map")).toBeVisible();
  await expect(page.getByText("removed in another tab")).toHaveCount(0);
  await page.getByRole("link", { name: "Sweep" }).click();
  const orphaned = page.getByRole("row", { name: /orphaned/ });
  await expect(orphaned).toContainText("its composition is gone");
  await expect(orphaned).toContainText("cannot be");
  // What nothing can make again is not selected by itself.
  await expect(page.getByRole("button", { name: /^Check .* before it goes/ })).toHaveCount(0);
  await orphaned.getByRole("checkbox").check();
  await sweepSelected(page);
  await expect(orphaned).toHaveCount(0);
  await expect.poll(async () => (await application.frameFiles("ringing-station")).length).toBe(0);
  await page.reload();
  await expect(open("Estuary Map")).toBeVisible();
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "Remove Estuary Map" }).click();
  await expect(open("Flyway Titles")).toBeVisible();
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "Remove Flyway Titles" }).click();
  await expect(open("Night Roost")).toBeVisible();
  await page.getByRole("button", { name: /choose another/ }).click();
  await expect(page.getByRole("button", { name: "Remove Night Roost" })).toBeDisabled();
});
