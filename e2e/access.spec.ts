import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import type { Page } from "@playwright/test";
import { chooseComposition, expect, goToSweep, measureTake, openPreview, test, verdict, reveal } from "./application";

const axeSource = readFileSync(createRequire(`${process.cwd()}/package.json`).resolve("axe-core/axe.min.js"), "utf8");

interface Axe {
  run: (
    options: object,
  ) => Promise<{ violations: { id: string; nodes: { target: string[]; failureSummary: string }[] }[] }>;
}

/** What axe finds on the present screen, in words. @param rules the only ones that are tried */
async function violations(page: Page, rules?: readonly string[]): Promise<string[]> {
  await page.evaluate(axeSource);
  return page.evaluate(async (runOnly) => {
    const { axe } = window as unknown as { axe: Axe };
    const { violations } = await axe.run(runOnly ? { runOnly } : {});
    return violations.flatMap(({ id, nodes }) =>
      nodes.map(({ target, failureSummary }) => `${id}: ${target.join(" ")}: ${failureSummary}`),
    );
  }, rules);
}

/** In one theme after the other, as the system asks for it. */
async function inBothThemes(page: Page): Promise<string[]> {
  const found: string[] = [];
  for (const [theme, colorScheme, rules] of [
    ["paper", "light", undefined],
    // Colours are all that is different then.
    ["dim", "dark", ["color-contrast", "link-in-text-block"]],
  ] as const) {
    await page.emulateMedia({ colorScheme, reducedMotion: "reduce" });
    await expect(page.locator("html")).toHaveAttribute("data-theme", theme);
    found.push(...(await violations(page, rules)).map((one) => `${theme}: ${one}`));
  }
  return found;
}

test("axe finds nothing on any screen in either theme", async ({ page, application }) => {
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  await measureTake(page);
  expect(await inBothThemes(page)).toEqual([]);
  await page.locator(".layer-name").first().click();
  expect(await inBothThemes(page)).toEqual([]);
  await page.locator("label[for=order-time]").click();
  await page.getByRole("button", { name: "Animate Opacity" }).click();
  await expect(page.getByRole("slider", { name: "Keyframe of Opacity" })).toBeVisible();
  expect(await inBothThemes(page)).toEqual([]);
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "New composition…" }).click();
  await page.getByRole("button", { name: "Make the composition" }).click();
  await expect(page.getByText("A name is needed")).toBeVisible();
  expect(await inBothThemes(page)).toEqual([]);
  await page.keyboard.press("Escape");
  for (const tab of ["Cache", "Waste", "Bakes"]) {
    await page.getByRole("tab", { name: tab }).click();
    if (tab === "Cache") await page.getByRole("button", { name: "Why is this frame held or not?" }).click();
    expect(await inBothThemes(page)).toEqual([]);
  }
  await page.getByRole("link", { name: "Bench" }).click();
  await expect(page.locator(".recharts-bar-rectangle")).toHaveCount(1);
  expect(await inBothThemes(page)).toEqual([]);
  await page.getByRole("link", { name: "Machine" }).click();
  await expect(page.getByRole("region", { name: "Who else is using this machine" })).toBeVisible();
  expect(await inBothThemes(page)).toEqual([]);
  await page.getByRole("link", { name: "Storage" }).click();
  await page.getByRole("button", { name: "Choose: Folder to add" }).click();
  await expect(page.getByRole("tree", { name: "Folders" })).toBeVisible();
  expect(await inBothThemes(page)).toEqual([]);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Test this drive" }).click();
  await expect(page.getByRole("progressbar", { name: /^Test of/ })).toBeVisible();
  expect(await inBothThemes(page)).toEqual([]);
  await expect(page.locator(".page-head h1")).toContainText("to play from disk");
  expect(await inBothThemes(page)).toEqual([]);
  await page.getByRole("link", { name: "Takes" }).click();
  await expect(page.getByRole("region", { name: "All takes" })).toBeVisible();
  expect(await inBothThemes(page)).toEqual([]);
  await page.getByRole("link", { name: "Sweep" }).click();
  for (const [part, region] of [
    ["Ledger", "Ledger"],
    ["Folders", "Register a folder"],
    ["Rules", "Rule file"],
    ["Holding", "Holding"],
    ["Wrap", "Reopen"],
  ] as const) {
    await goToSweep(page, part);
    await expect(page.getByRole("region", { name: region })).toBeVisible();
    expect(await inBothThemes(page)).toEqual([]);
  }
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toBeVisible();
  expect(await inBothThemes(page)).toEqual([]);
});

test("the transport works from the keyboard", async ({ page, application }) => {
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  const playhead = page.getByRole("slider", { name: "Playhead" });
  const at = (frame: number) => expect(playhead).toHaveAttribute("aria-valuenow", String(frame));
  await playhead.focus();
  for (let n = 0; n < 5; n++) await page.keyboard.press("ArrowRight");
  await at(5);
  await page.keyboard.press("i");
  for (let n = 0; n < 10; n++) await page.keyboard.press("ArrowRight");
  await at(15);
  await page.keyboard.press("o");
  await expect(page.locator(".range-text")).toHaveText("in 5 – out 15");
  await page.keyboard.press("Home");
  await at(5);
  await page.keyboard.press("End");
  await at(15);
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Pause", exact: true })).toBeVisible();
  await page.keyboard.press("k");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await page.keyboard.press("j");
  await expect(page.getByRole("button", { name: "Pause", exact: true })).toBeVisible();
  await page.keyboard.press("Space");
  await page.getByRole("button", { name: "Whole length" }).press("Enter");
  await expect(page.locator(".range-text")).toHaveText("in 0 – out 179");
});

test("sliders take arrow keys and typed values, undo and redo their keys", async ({ page, application }) => {
  await openPreview(page, application);
  await page.getByRole("tab", { name: "Cache" }).click();
  const slider = page.getByRole("slider", { name: "Memory budget" });
  await slider.focus();
  await page.keyboard.press("ArrowRight");
  await expect(page.locator(".gauge", { hasText: "Memory cache" })).toContainText("budget 320 MB");
  await page.getByRole("button", { name: /^Reed line/ }).press("Enter");
  await page.getByRole("slider", { name: "Warmth, slider" }).focus();
  await page.keyboard.press("ArrowRight");
  const warmth = page.getByLabel("Warmth", { exact: true });
  await expect(warmth).toHaveValue("-17");
  await page.keyboard.press("Control+z");
  await expect(warmth).toHaveValue("-18");
  await page.keyboard.press("Control+Shift+Z");
  await expect(warmth).toHaveValue("-17");
});

test("absurd values are put right, not taken", async ({ page, application }) => {
  await openPreview(page, application);
  const field = await reveal(page.getByLabel("Idle delay", { exact: true }));
  for (const [typed, becomes] of [
    ["-5", "0"],
    ["999999", "60"],
    ["", "60"],
  ] as const) {
    await field.fill(typed);
    await field.press("Enter");
    await expect(field).toHaveValue(becomes);
  }
  // So much is a slip of the hand: it is refused, and what was stays in force.
  const budget = page.getByLabel("Memory budget in gigabytes");
  const before = await budget.inputValue();
  await budget.fill("100000");
  await budget.press("Enter");
  await expect(page.getByRole("alert")).toContainText("100000 GB is more than there is: at most");
  await expect(budget).toHaveValue(before);
  await page.getByLabel("Memory budget in gigabytes").fill("0.0001");
  await page.getByLabel("Memory budget in gigabytes").press("Enter");
  await expect(page.locator(".control-warning")).toContainText("Less than the window around the playhead");
  await expect(verdict(page)).toContainText("in memory");
});
