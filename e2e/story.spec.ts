import { createHash } from "node:crypto";
import type { Page } from "@playwright/test";
import sharp from "sharp";
import {
  expect,
  framesInMemory,
  goToSweep,
  gauge,
  measureTake,
  openPreview,
  sweepSelected,
  test,
  type,
  verdict,
  choose,
  reveal,
} from "./application";

// The whole of the first journey: a heavy composition reaches real time, and its leftovers are cleaned.
test("from a stuttering composition to real time, and a clean disk", async ({ page, application }) => {
  test.setTimeout(600_000);

  await test.step("Preview opens with Night Roost, its picture, its layers and an estimated terrain", async () => {
    await openPreview(page, application);
    // Or the first take would find frames that were filled while the test looks around.
    await choose(page, "background", "Off");
    await expect(page.getByRole("button", { name: "Composition Night Roost; choose another" })).toBeVisible();
    await expect(page.locator(".layer-row")).toHaveCount(9);
    await expect(verdict(page)).toContainText(/estimated, \d+ of 240 frames held; measure a take to know/);
    await expect(gauge(page, "Average frame")).toContainText("est.");
    await expect(async () => expect(await pictureColours(page)).toBeGreaterThan(50)).toPass();
  });

  await test.step("a first take, one frame at a time, is honestly far from real time", async () => {
    const parallel = await (await reveal(page.getByLabel("In parallel", { exact: true }))).inputValue();
    await type(page, "In parallel", "1");
    await measureTake(page);
    // Memory holds what it showed: a take would come to something else now.
    await expect(verdict(page)).toContainText(/last take: [\d.]+ % on time, begun with \d+ in memory/);
    const [, share] = /last take: (\d+) %/.exec(await verdict(page).innerText())!;
    expect(Number(share)).toBeLessThan(80);
    await expect(gauge(page, "Average frame")).toHaveClass(/is-over/);
    await type(page, "In parallel", parallel);
  });

  await test.step("the memory slider says what it holds while it is dragged", async () => {
    const slider = await reveal(page.getByRole("slider", { name: "Memory budget" }));
    const says = page.locator("output[for=memory-budget]");
    await expect(says).toHaveText("129 frames = 5.4 s");
    await expect(page.locator(".panel")).toContainText(
      /1\.98 MB a frame at 50 %, 8-bit · [\d.]+ GB installed, [\d.]+ GB available/,
    );
    const box = (await slider.boundingBox())!;
    await page.mouse.move(box.x + 12, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + 40, box.y + box.height / 2, { steps: 4 });
    await expect(says).not.toHaveText("129 frames = 5.4 s");
    await expect(gauge(page, "Memory cache")).toContainText("budget 256 MB");
    await page.mouse.up();
    await expect(gauge(page, "Memory cache")).not.toContainText("budget 256 MB");
    await type(page, "Memory budget in gigabytes", "1");
    await expect(says).toHaveText("517 frames = 21.5 s");
  });

  await test.step("left alone, background rendering fills the cache; any action stops it", async () => {
    await type(page, "Idle delay", "1");
    await choose(page, "background", "Idle");
    const drawer = page.getByRole("complementary", { name: "Work in progress" });
    await expect(drawer).toContainText("Background rendering");
    const before = await framesInMemory(page);
    await expect.poll(() => framesInMemory(page)).toBeGreaterThan(before);
    await page.keyboard.press("Home");
    await expect(drawer).toBeHidden();
    await expect(verdict(page)).toContainText("all 240 frames in memory", { timeout: 300_000 });
  });

  await test.step("a second take is real time, every frame from memory, beside the first", async () => {
    await expect(verdict(page)).toContainText("Should play in real time, 24 fps");
    // A machine that gives its processors to others for a moment skips a frame; the take is then measured again.
    await expect(async () => {
      await measureTake(page);
      await expect(verdict(page)).toContainText("Plays in real time, 24 fps", { timeout: 5000 });
    }).toPass({ timeout: 300_000 });
    await page.getByRole("link", { name: "Takes" }).click();
    const first = page.getByRole("region", { name: "Take 1", exact: true });
    const second = page.getByRole("region", { name: /^Take \d+$/ }).last();
    await expect(second).toContainText("Real time");
    if (!(await first.isVisible())) {
      await page.getByLabel("Compare take 1", { exact: true }).click();
      await page
        .getByLabel(/^Compare take/)
        .first()
        .click();
    }
    await expect(first).toContainText(/\d+ % on time/);
    await expect(first).toContainText("Where the time went");
    await expect(second).toContainText("Nothing was rendered.");
    await expect(second.locator("dt", { hasText: "Rendered" }).locator("+ dd")).toHaveText("0");
    await expect(second.locator("dt", { hasText: "From disk" }).locator("+ dd")).toHaveText(/^0 /);
    const differed = page.getByRole("region", { name: "What differed" });
    await expect(differed).toContainText("Memory budget");
    await expect(differed).toContainText("240 of 240 frames");
  });

  await test.step("an edit costs its frames, undo has every one of them back", async () => {
    await page.getByRole("link", { name: "Preview" }).click();
    await choose(page, "background", "Off");
    const before = await pictureHash(page);
    await page.getByRole("button", { name: /^Reed line/ }).click();
    await type(page, "Exposure", "1.6");
    await expect(page.locator(".viewer-change")).toHaveText(
      "The edit: 240 frames to render again, the old ones are kept for undo",
    );
    await expect.poll(() => pictureHash(page)).not.toBe(before);
    await page.getByRole("button", { name: "Undo" }).click();
    await expect(page.locator(".viewer-change")).toHaveText("Undo: 240 frames found again, none rendered");
    await expect(verdict(page)).toContainText("all 240 frames in memory");
    await expect.poll(() => pictureHash(page)).toBe(before);
  });

  await test.step("after a reload and a restart of the server it plays from disk what was rendered before", async () => {
    await page.locator("#order-stacking + label").click();
    await expect(async () =>
      expect((await application.frameFiles("night-roost")).length).toBeGreaterThanOrEqual(241),
    ).toPass();
    await application.stop();
    await application.start();
    await page.reload();
    await expect(gauge(page, "Disk cache")).toContainText(/24\d fr/);
    await choose(page, "pacing", "Show every frame");
    await measureTake(page);
    await page.getByRole("link", { name: "Takes" }).click();
    const take = page.getByRole("region", { name: /^Take \d+$/ }).last();
    const count = async (what: string) =>
      Number.parseInt(await take.locator("dt", { hasText: what }).locator("+ dd").innerText(), 10);
    expect(await count("From disk")).toBeGreaterThan(230);
    expect(await count("Rendered")).toBeLessThan(5);
  });

  await test.step("Sweep names what is superseded, moves it to holding, brings it back, and empties it", async () => {
    await page.getByRole("link", { name: "Preview" }).click();
    await page.getByRole("button", { name: /^Reed line/ }).click();
    // Another edit in place of the undone one: the frames of the undone one can never be shown again.
    await type(page, "Exposure", "-0.5");
    await expect(page.locator(".viewer-change")).toContainText("to render again");
    await page.getByRole("link", { name: "Sweep" }).click();
    const stale = page.getByRole("row", { name: /superseded/ });
    await expect(stale).toContainText("no state of Night Roost, undone ones included, shows it");
    await expect(stale).toContainText(/\d+(\.\d)? M?B/);
    await expect(page.getByRole("row", { name: /in use/ })).toContainText("Night Roost is open");
    const filesBefore = (await application.frameFiles("night-roost")).length;

    await sweepSelected(page);
    await expect(stale).toHaveCount(0);
    expect((await application.frameFiles("night-roost")).length).toBeLessThan(filesBefore);

    await page.getByRole("region", { name: "Moved" }).getByRole("button", { name: "Bring back" }).click();
    await expect(stale).toHaveCount(1);
    expect((await application.frameFiles("night-roost")).length).toBe(filesBefore);

    // Nothing ticks itself again.
    await expect(page.getByRole("button", { name: /^Check .* before it goes/ })).toHaveCount(0);
    await page.getByRole("button", { name: "Select what is stale" }).click();
    await sweepSelected(page);
    await goToSweep(page, "Holding");
    await expect(page.getByRole("heading", { level: 1 })).toContainText("wait in holding");
    await page.getByRole("button", { name: "Empty…" }).click();
    await page.getByRole("button", { name: /go for good$/ }).click();
    await expect(page.getByRole("heading", { level: 1 })).toHaveText("Holding is empty");
    await goToSweep(page, "Ledger");
    await expect(page.getByRole("heading", { level: 1 })).toHaveText("Nothing is stale");
    expect((await application.frameFiles("night-roost")).length).toBeLessThan(filesBefore);
  });
});

/** The middle of the picture as a PNG file, once it has been sharpened; notes lie around it. */
async function picture(page: Page): Promise<Buffer> {
  await expect(page.locator(".viewer-rate")).toHaveText("sharp, full size");
  const { x, y, width, height } = (await page.locator(".viewer canvas").boundingBox())!;
  const clip = { x: x + width * 0.1, y: y + height * 0.2, width: width * 0.8, height: height * 0.6 };
  return page.screenshot({ clip });
}

/** A short name for a picture: equal pictures have equal names. */
async function pictureHash(page: Page): Promise<string> {
  return createHash("sha1")
    .update(
      await sharp(await picture(page))
        .raw()
        .toBuffer(),
    )
    .digest("hex");
}

/** How many colours the picture has when it is made small: a blank one has one. */
async function pictureColours(page: Page): Promise<number> {
  const small = sharp(await picture(page))
    .resize(64, 36)
    .ensureAlpha()
    .raw();
  return new Set(new Uint32Array(new Uint8Array(await small.toBuffer()).buffer)).size;
}
