import type { Page } from "@playwright/test";
import { expect, holdDatabase, measureTake, openPreview, test } from "./application";

const names = (page: Page) => page.locator(".layer-name strong").allInnerTexts();

async function addLayer(page: Page, kind: string): Promise<void> {
  await page.getByRole("button", { name: "Add a layer" }).click();
  await page.getByRole("button", { name: kind, exact: true }).click();
  await expect(page.getByLabel("Name of the layer")).toHaveValue(kind);
}

test("a composition of one's own is made, built up, changed by keys, undone and measured", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "New composition…" }).click();
  const dialog = page.getByRole("dialog", { name: "New composition" });
  const make = dialog.getByRole("button", { name: "Make the composition" });
  await expect(dialog.getByLabel("Name")).toBeFocused();
  await dialog.getByLabel("Length").fill("1:30");
  await dialog.getByLabel("Width").fill("0");
  await make.click();
  for (const fault of ["A name is needed", "from 1 to 16384", "A length is needed: timecode"])
    await expect(dialog.getByText(fault)).toBeVisible();
  await dialog.getByLabel("Name").fill("Flyway ident");
  await dialog.getByLabel("Width").fill("320");
  await dialog.getByLabel("Height").fill("180");
  await dialog.getByLabel("Frames a second").fill("23.976");
  await dialog.getByLabel("Length").fill("2 s");
  await expect(dialog.getByText("48 frames")).toBeVisible();
  await make.click();
  await expect(page.getByRole("button", { name: "Composition Flyway ident; choose another" })).toBeFocused();
  await expect(page.getByText("320×180 · 23.976 fps")).toBeVisible();
  await expect(page.getByText("Flyway ident has no layers yet")).toBeVisible();

  await page.locator("label[for=order-stacking]").click();
  for (const kind of ["Gradient", "Procedural noise", "Flock"]) await addLayer(page, kind);
  expect(await names(page)).toEqual(["Flock", "Procedural noise", "Gradient"]);

  // By keys: below the noise, renamed, copied, removed.
  await page.locator(".playhead").focus();
  await page.keyboard.press("Alt+ArrowDown");
  await expect.poll(() => names(page)).toEqual(["Procedural noise", "Flock", "Gradient"]);
  const name = page.getByLabel("Name of the layer");
  await name.fill("Geese");
  await name.press("Enter");
  await expect.poll(() => names(page)).toEqual(["Procedural noise", "Geese", "Gradient"]);
  await page.getByRole("button", { name: "Duplicate Geese" }).click();
  await expect.poll(() => names(page)).toEqual(["Procedural noise", "Geese copy", "Geese", "Gradient"]);
  await page.locator(".playhead").focus();
  await page.keyboard.press("Delete");
  await expect.poll(() => names(page)).toEqual(["Procedural noise", "Geese copy", "Gradient"]);
  await page.keyboard.press("Control+z");
  await expect.poll(() => names(page)).toEqual(["Procedural noise", "Geese copy", "Geese", "Gradient"]);
  await page.locator(".layer-name", { hasText: "Geese copy" }).click();
  await page.getByRole("button", { name: "Remove Geese copy" }).click();
  await expect.poll(() => names(page)).toEqual(["Procedural noise", "Geese", "Gradient"]);

  // Effects in their order, and when the layer shows.
  await page.locator(".layer-name", { hasText: "Geese" }).click();
  for (const effect of ["Grain", "Glow"]) {
    await page.getByLabel("Add an effect").selectOption({ label: effect });
    await expect(page.getByRole("checkbox", { name: effect, exact: true })).toBeChecked();
  }
  await page.getByRole("button", { name: "Apply Glow sooner" }).click();
  await expect(page.locator(".layer-row", { hasText: "Geese" })).toContainText("Glow, Grain");
  await page.getByRole("button", { name: "Remove Grain" }).click();
  await expect(page.locator(".layer-row", { hasText: "Geese" })).not.toContainText("Grain");
  await page.getByLabel("First frame of the layer").fill("12");
  await page.getByLabel("First frame of the layer").press("Enter");
  // Right after the other: one edit builds upon the other.
  await page.getByLabel("Blend mode").selectOption("screen");
  await expect(page.getByLabel("Blend mode")).toHaveValue("screen");
  await expect(page.getByRole("alert")).toBeHidden();

  await page.reload();
  await expect(page.getByRole("button", { name: "Composition Flyway ident; choose another" })).toBeVisible();
  await page.locator("label[for=order-stacking]").click();
  expect(await names(page)).toEqual(["Procedural noise", "Geese", "Gradient"]);
  await page.locator(".layer-name", { hasText: "Geese" }).click();
  await expect(page.getByLabel("First frame of the layer")).toHaveValue("12");
  await expect(page.getByLabel("Blend mode")).toHaveValue("screen");
  // Three edits at once: none of them is lost.
  const toggleAll = () =>
    page.locator(".layer-row > .icon-button").evaluateAll((all: HTMLElement[]) => all.forEach((one) => one.click()));
  await toggleAll();
  await expect(page.locator(".layer-row.is-off")).toHaveCount(3);
  await toggleAll();
  await expect(page.locator(".layer-row.is-off")).toHaveCount(0);
  await measureTake(page);
  await page.getByRole("link", { name: "Takes" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("on time");
});

test("what was changed is there after a reload that comes before it was written", async ({ page, application }) => {
  await openPreview(page, application);
  await page.locator(".layer-name", { hasText: "High cloud" }).click();
  const release = await holdDatabase(page, application);
  await page.getByLabel("Blend mode").selectOption("lighten");
  await expect(page.getByLabel("Blend mode")).toHaveValue("lighten");
  await page.reload({ waitUntil: "commit" });
  await release();
  await page.locator(".layer-name", { hasText: "High cloud" }).click();
  await expect(page.getByLabel("Blend mode")).toHaveValue("lighten");
});

test("of two tabs that change a composition at once, the later is told, and what it changed since goes with it", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  const other = await page.context().newPage();
  await other.goto(application.address);
  const blend = (tab: Page) => tab.getByLabel("Blend mode");
  const opacity = page.getByRole("spinbutton", { name: "Opacity" });
  for (const tab of [page, other]) await tab.locator(".layer-name", { hasText: "High cloud" }).click();
  const before = await opacity.inputValue();
  const release = await holdDatabase(page, application);
  await other.bringToFront();
  await blend(other).selectOption("lighten");
  await expect(blend(other)).toHaveValue("lighten");
  await page.bringToFront();
  await blend(page).selectOption("darken");
  await opacity.fill("7");
  await opacity.press("Enter");
  await expect(blend(page)).toHaveValue("darken");
  await release();
  await expect(page.locator(".notices")).toContainText("was changed in another tab");
  await expect(blend(page)).toHaveValue("lighten");
  await expect(opacity).toHaveValue(before);
  // And both go on from there.
  await opacity.fill("9");
  await opacity.press("Enter");
  await expect(other.getByRole("spinbutton", { name: "Opacity" })).toHaveValue("9");
  await expect(blend(other)).toHaveValue("lighten");
});
