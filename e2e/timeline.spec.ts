import type { Page } from "@playwright/test";
import { expect, holdDatabase, openPreview, test, verdict } from "./application";

const rows = (page: Page) => page.locator(".bar-name").allInnerTexts();
const bar = (page: Page, layer: string) => page.getByRole("slider", { name: `${layer} in time` });

/** Night Roost with its layers in time, every frame of a short range in memory. */
async function openInTime(page: Page): Promise<void> {
  await page.locator("label[for=order-time]").click();
  await expect(bar(page, "Title card")).toBeVisible();
}

/** What the last edit cost, by the sentence over the picture. */
const cost = (page: Page) => page.getByText(/^(The edit|Undo|Redo): .*/);

test("layers are trimmed, slid, split and nested by pointer and by keys, and only what changes is rendered again", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await openInTime(page);
  await expect(verdict(page)).toContainText(/[2-9]\d of 240 frames in memory/);
  await page.getByRole("button", { name: "Title card", exact: true }).click();
  await expect(page.getByLabel("Name of the layer")).toHaveValue("Title card");

  // The middle slides; while it is dragged its frames are said, and nothing is edited before it is let go.
  const title = bar(page, "Title card");
  const box = (await title.boundingBox())!;
  const perFrame = box.width / 156;
  const at = { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  await page.mouse.move(at.x, at.y);
  await page.mouse.down();
  await page.mouse.move(at.x + 8 * perFrame, at.y, { steps: 4 });
  await expect(title).toHaveAttribute("aria-valuetext", "frames 20 – 175");
  await expect(page.getByLabel("First frame of the layer")).toHaveValue("12");
  await page.mouse.up();
  await expect(page.getByLabel("First frame of the layer")).toHaveValue("20");
  // Its keyframes went along.
  await expect(page.getByRole("slider", { name: "Keyframe of Opacity" }).first()).toHaveAttribute(
    "aria-valuenow",
    "20",
  );
  await page.keyboard.press("Control+z");
  await expect(title).toHaveAttribute("aria-valuetext", "frames 12 – 167");

  // Presses that follow each other, and leaving at once, come to what was pressed and no more.
  await title.focus();
  for (const key of ["ArrowRight", "ArrowRight", "Tab"]) await page.keyboard.press(key);
  await expect(page.getByLabel("First frame of the layer")).toHaveValue("14");
  await page.getByRole("button", { name: "Undo" }).click();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(title).toHaveAttribute("aria-valuetext", "frames 12 – 167");

  // An escape gives up; keys do the same as the pointer, and what was gathered is one edit.
  await title.focus();
  await page.keyboard.down("ArrowRight");
  await expect(title).toHaveAttribute("aria-valuetext", "frames 13 – 168");
  await page.keyboard.press("Escape");
  await page.keyboard.up("ArrowRight");
  await expect(title).toHaveAttribute("aria-valuetext", "frames 12 – 167");
  await page.getByRole("slider", { name: "Last frame of Title card" }).focus();
  await page.keyboard.press("Shift+ArrowLeft");
  await expect(title).toHaveAttribute("aria-valuetext", "frames 12 – 157");
  await page.keyboard.press("Control+z");
  await expect(title).toHaveAttribute("aria-valuetext", "frames 12 – 167");

  // Split where the playhead is: two layers, and no frame is rendered again.
  await page.locator(".playhead").focus();
  for (let n = 0; n < 20; n++) await page.keyboard.press("ArrowRight");
  await page.getByRole("button", { name: "Split" }).click();
  await expect.poll(() => rows(page)).toEqual(expect.arrayContaining(["Title card", "Title card 2"]));
  await expect(bar(page, "Title card 2")).toHaveAttribute("aria-valuetext", "frames 20 – 167");
  await expect(cost(page)).toHaveText(/nothing cached is lost/);

  // Two layers next to each other go into one, which is opened, changed, and taken apart again.
  await page.getByRole("button", { name: "Title card 2", exact: true }).click({ modifiers: ["Shift"] });
  await page.getByRole("button", { name: "Nest 2" }).click();
  await expect.poll(async () => (await rows(page))[0]).toBe("Title card and 1 more");
  await expect(cost(page)).toHaveText(/nothing cached is lost/);
  // It is the one that is selected.
  await page.getByRole("button", { name: "Open", exact: true }).click();
  await expect.poll(() => rows(page)).toEqual(["Title card 2", "Title card"]);
  await page.getByRole("button", { name: "Back to Original" }).click();
  // It is selected still.
  await page.getByRole("button", { name: "Un-nest" }).click();
  await expect.poll(async () => (await rows(page)).slice(0, 2)).toEqual(["Title card 2", "Title card"]);
  await page.reload();
  await openInTime(page);
  await expect.poll(async () => (await rows(page)).slice(0, 2)).toEqual(["Title card 2", "Title card"]);
});

test("a number is animated: keyframes are set at the playhead, moved, eased, stepped to and removed", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await openInTime(page);
  await page.getByRole("button", { name: "Sun haze", exact: true }).click();
  await page.getByRole("button", { name: "Animate Opacity" }).click();
  const keys = page.getByRole("slider", { name: "Keyframe of Opacity" });
  await expect(keys).toHaveCount(1);
  await page.locator(".playhead").focus();
  for (let n = 0; n < 10; n++) await page.keyboard.press("ArrowRight");
  const opacity = page.getByRole("spinbutton", { name: "Opacity" });
  const before = Number(await opacity.inputValue());
  await opacity.fill(String(before / 2));
  await opacity.press("Enter");
  await expect(keys).toHaveCount(2);
  await expect(keys.nth(1)).toHaveAttribute("aria-valuetext", new RegExp(`^${before / 2} % at frame 10`));
  // In between it is between, and eased otherwise.
  await page.locator(".playhead").focus();
  for (let n = 0; n < 7; n++) await page.keyboard.press("ArrowLeft");
  await expect(opacity).toHaveValue(String(Number((before - 0.15 * before).toFixed(2))));
  await page.getByLabel("From a keyframe of Opacity to the next").selectOption("stays");
  await expect(opacity).toHaveValue(String(before));
  // The one after is moved by keys, and stepped to.
  await keys.nth(1).focus();
  await page.keyboard.press("Shift+ArrowRight");
  await expect(keys.nth(1)).toHaveAttribute("aria-valuenow", "20");
  // It keeps the focus, and each press counts.
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowRight");
  await expect(keys.nth(1)).toHaveAttribute("aria-valuenow", "22");
  await expect(keys.nth(1)).toBeFocused();
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("ArrowLeft");
  await expect(keys.nth(1)).toHaveAttribute("aria-valuenow", "20");
  await page.getByRole("button", { name: "Next keyframe of Opacity" }).click();
  await expect(page.locator(".playhead")).toHaveAttribute("aria-valuenow", "20");
  await expect(opacity).toHaveValue(String(before / 2));
  await page.getByRole("button", { name: "Remove the keyframe of Opacity" }).click();
  await expect(keys).toHaveCount(1);
  await keys.first().focus();
  await page.keyboard.press("Delete");
  await expect(page.getByRole("button", { name: "Animate Opacity" })).toBeVisible();
  await expect(opacity).toHaveValue(String(before));
  await page.keyboard.press("Control+z");
  await expect(keys).toHaveCount(1);
});

test("each press counts while changes wait to be written, back to where it was too", async ({ page, application }) => {
  await openPreview(page, application);
  await openInTime(page);
  await page.getByRole("button", { name: "Sun haze", exact: true }).click();
  await page.getByRole("button", { name: "Animate Opacity" }).click();
  const key = page.getByRole("slider", { name: "Keyframe of Opacity" });
  const redo = page.getByRole("button", { name: "Redo" });
  await expect(key).toHaveAttribute("aria-valuenow", "0");
  for (const one of [key, bar(page, "Reed line")]) {
    const release = await holdDatabase(page, application);
    await one.focus();
    for (const press of ["ArrowRight", "ArrowRight", "ArrowLeft"]) await page.keyboard.press(press);
    await release();
    await expect(redo).toBeDisabled();
    await page.keyboard.press("Control+z");
    // All before it is written then.
    await expect(redo).toBeEnabled();
    await expect(one).toHaveAttribute("aria-valuenow", "2");
    await page.keyboard.press("Control+Shift+z");
    await expect(redo).toBeDisabled();
    await expect(one).toHaveAttribute("aria-valuenow", "1");
  }
  // What is pressed meanwhile goes by what is shown.
  const release = await holdDatabase(page, application);
  await key.focus();
  for (let n = 0; n < 3; n++) await page.keyboard.press("ArrowRight");
  await page.getByRole("button", { name: "Next keyframe of Opacity" }).click();
  await expect(page.locator(".playhead")).toHaveAttribute("aria-valuenow", "4");
  await release();
});
