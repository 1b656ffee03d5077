import { DEFAULT_RULE_FILE } from "@kinetocache/core";
import { expect, goToSweep, openPreview, test, chooseComposition, choose } from "./application";

test("messages go by themselves, two at a time, the rest on demand; the sheet of keys has a button", async ({
  page,
  application,
}) => {
  await page.clock.install();
  await openPreview(page, application);
  await chooseComposition(page, "Ringing Station");
  const notices = page.locator(".notices .alert");
  const bringIn = (name: string, content: string) =>
    page
      .getByLabel("Composition file")
      .setInputFiles({ name, mimeType: "application/json", buffer: Buffer.from(content) });
  for (const name of ["one.json", "two.json", "three.json"]) {
    await bringIn(name, `{ "format": "kinetocache-composition", "version": 1 }`);
    await expect(notices.last()).toContainText(name);
  }
  await expect(notices).toHaveCount(2);
  await expect(page.locator(".notices")).toContainText("1 more before");
  // One sentence, and what each field should be where somebody wants to know.
  await expect(notices.last().locator("details")).not.toHaveAttribute("open");
  await page.clock.fastForward(60_000);
  await expect(notices).toHaveCount(1);
  await page.clock.fastForward(60_000);
  await expect(notices).toHaveCount(0);

  await page.getByRole("button", { name: "Keys" }).click();
  const sheet = page.getByRole("dialog");
  await expect(sheet).toBeVisible();
  // Keys are never broken over lines.
  const heights = await sheet.locator("kbd").evaluateAll((all) => all.map((key) => key.getClientRects().length));
  expect(new Set(heights)).toEqual(new Set([1]));
  await page.keyboard.press("Escape");

  await page.locator(".playhead").focus();
  await page.keyboard.press("l");
  await page.keyboard.press("l");
  await expect(page.locator(".viewer-rate")).toContainText("2 × ·");
  await page.keyboard.press("k");
});

test("two pictures side by side keep their shape, and a wipe is dragged on the picture", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await chooseComposition(page, "Flyway Titles");
  await choose(page, "background", "Off");
  await page.getByRole("button", { name: "Compare with another variant" }).click();
  await page.locator(".dropdown-item", { hasText: "Overcast" }).last().click();
  const canvas = page.locator(".viewer canvas");
  const shape = () =>
    canvas.evaluate((element: HTMLCanvasElement) => {
      const { width, height } = element.getBoundingClientRect();
      const { objectFit } = getComputedStyle(element);
      return { drawn: element.width / element.height, box: width / height, objectFit };
    });
  await expect.poll(async () => (await shape()).drawn).toBeCloseTo(32 / 9, 1);
  expect((await shape()).objectFit).toBe("contain");
  await page.getByRole("button", { name: "Show with a wipe" }).click();
  await expect.poll(async () => (await shape()).drawn).toBeCloseTo(16 / 9, 1);
  // The picture has its new place on the screen only once the screen heard of it.
  await expect.poll(async () => (await shape()).box).toBeCloseTo(16 / 9, 1);
  const wipe = page.getByRole("slider", { name: "Place of the wipe" });
  const { x, y, width, height } = (await canvas.boundingBox())!;
  await page.mouse.move(x + width / 2, y + height / 2);
  await page.mouse.down();
  await page.mouse.move(x + width / 4, y + height / 2, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => Math.abs(Number(await wipe.inputValue()) - 25)).toBeLessThanOrEqual(1);
  // The button says what it will do.
  await expect(page.getByRole("button", { name: "Show side by side" })).toBeVisible();
});

test("faults of the rule file are told by rule and line, and what is typed stays", async ({ page, application }) => {
  await openPreview(page, application);
  await page.getByRole("link", { name: "Sweep", exact: true }).click();
  await goToSweep(page, "Rules");
  const field = page.getByLabel("The file, in JSON");
  const { name } = DEFAULT_RULE_FILE.items[0]!;
  const lines = JSON.stringify(DEFAULT_RULE_FILE, null, 1).split("\n");
  const line = lines.findIndex((one) => /"kind":/.test(one)) + 1;
  const row = field.locator(".cm-line").nth(line - 1);
  await expect(row).toHaveText(/"kind": "frames"/);
  await row.click();
  await page.keyboard.press("End");
  for (let n = '"frames",'.length; n > 0; n--) await page.keyboard.press("Backspace");
  await page.keyboard.type('"cheese",');
  const fault = page.getByRole("alert").locator("li").first();
  await expect(fault).toContainText(`rule "${name}": kind must be one of`);
  await expect(fault.getByRole("button")).toContainText(`Line ${line}`);
  // Marked where it is, and found from the list.
  await expect(row.locator(".cm-lintRange-error")).toHaveText('"cheese"');
  await fault.getByRole("button").click();
  await expect(field).toBeFocused();
  // What is wrong is selected: typing replaces it, with what the schema allows.
  await page.keyboard.press("Backspace");
  await page.keyboard.press("Control+Space");
  await page.getByRole("option", { name: '"proxies"' }).click();
  await expect(row).toHaveText(/"kind": "proxies",/);
  await expect(fault).toBeHidden();
  await page.getByRole("button", { name: "Discard changes" }).click();
  await expect(row).toHaveText(/"kind": "frames",/);

  await goToSweep(page, "Folders");
  const form = page.getByLabel(/^Full path of a cache folder/);
  await form.fill("/nowhere/at/all");
  await page.getByRole("button", { name: "Register and scan" }).click();
  await expect(
    page
      .locator(".notices, .page")
      .getByText(/nowhere/)
      .first(),
  ).toBeVisible();
  await expect(form).toHaveValue("/nowhere/at/all");
});

test("without the server every screen says that its figures are of before", async ({ page, application }) => {
  await openPreview(page, application);
  for (const screen of ["Bench", "Machine", "Storage", "Sweep"]) {
    await page.getByRole("link", { name: screen, exact: true }).click();
    await expect(page.locator(".page h1, .sweep h1").first()).not.toHaveText("Opening…");
  }
  await application.stop("SIGKILL");
  const gone = page.locator(".server-gone");
  // The last was never opened before: its code cannot be loaded now.
  for (const screen of ["Sweep", "Preview", "Bench", "Machine", "Storage", "Takes"]) {
    await page.getByRole("link", { name: screen, exact: true }).click();
    await expect(gone).toContainText("the last ones known");
  }
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Opening…");
  await application.start();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/take/i);
  await expect(gone).toHaveCount(0);
});
