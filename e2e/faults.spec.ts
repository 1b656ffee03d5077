import { readFile, truncate, writeFile } from "node:fs/promises";
import type { Page } from "@playwright/test";
import {
  expect,
  fill,
  framesInMemory,
  gauge,
  measureTake,
  openPreview,
  steadyPicture,
  test,
  type,
  verdict,
  choose,
  setSwitch,
} from "./application";

const notices = (page: Page) => page.locator(".notices");

test("playback goes on when the server is stopped in the middle of it, and the disk is back with the server", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await fill(page);
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await expect(page.locator(".viewer-rate")).toContainText("fps");
  await application.stop("SIGKILL");
  const shownFrame = async () =>
    Number(await page.getByRole("slider", { name: "Playhead" }).getAttribute("aria-valuenow"));
  const then = await shownFrame();
  await expect.poll(shownFrame).not.toBe(then);
  await page.getByRole("button", { name: "Pause", exact: true }).click();
  await measureTake(page);
  await expect(verdict(page)).toContainText(/real time|on time/);
  // A frame that memory does not hold is rendered; what the disk would have taken is let go, and that is said once.
  await choose(page, "size", "33 %");
  await expect.poll(() => framesInMemory(page)).toBeGreaterThan(20);
  await expect(notices(page)).toContainText(
    "The server does not answer: frames are kept in memory only until it is back.",
  );
  await expect(notices(page).getByText("The server does not answer: frames")).toHaveCount(1);
  await expect(page.locator(".strip-machine")).toContainText("no server");
  await application.start();
  await expect(notices(page)).toContainText("The server answers again; the disk cache is back.");
  await expect(page.locator(".strip-machine")).toContainText("free of");
});

test("an engine that cannot start says why and starts on demand; workers that end are replaced, and it goes on", async ({
  page,
  application,
}) => {
  await page.route(/kernels.*\.wasm$/, (route) => route.abort());
  await page.goto(application.address);
  const fault = page.locator(".engine-fault");
  await expect(fault).toContainText("The preview engine does not run: ");
  await page.unrouteAll();
  await fault.getByRole("button", { name: "Try again" }).click();
  await expect(verdict(page)).toContainText("in memory");
  await expect(fault).toBeHidden();

  const end = async (program: string) => {
    const worker = page
      .workers()
      .filter((one) => one.url().includes(program))
      // Those of the engine that did not start come first.
      .at(-1)!;
    const ended = worker.waitForEvent("close");
    // Later than the answer to this, which ends with it.
    await worker.evaluate(() => {
      setTimeout(() => {
        throw new Error("made to stop");
      }, 300);
    });
    await ended;
  };
  for (const program of ["disk.worker", "render.worker"]) await end(program);
  // Whatever is asked for next is done by others.
  await fill(page);
  await expect(gauge(page, "Disk cache")).toContainText(/1(79|8\d) fr/);

  await end("engine.worker");
  await expect(fault).toContainText("The preview engine stopped: made to stop. Another one took its place");
  await expect(page.getByRole("button", { name: "Composition Ringing Station; choose another" })).toBeVisible();
  // What was on disk is found again by it.
  await expect(verdict(page)).toContainText("all 180 frames in memory");
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await expect(page.locator(".viewer-rate")).toContainText("fps");
});

test("a full disk cache is shown and stops nothing", async ({ page, application }) => {
  await openPreview(page, application);
  await page.getByRole("link", { name: "Storage" }).click();
  await type(page, "Cap", "0.05");
  // Where more is stored by now, it says first what it takes.
  const consent = page.getByRole("button", { name: /and set the cap$/ });
  await expect(gauge(page, "Disk cache").filter({ hasText: "cap 51.2 MB" }).or(consent)).toBeVisible();
  if (await consent.isVisible()) await consent.click();
  await expect(gauge(page, "Disk cache")).toContainText("cap 51.2 MB");
  await page.getByRole("link", { name: "Preview" }).click();
  await fill(page);
  await expect(notices(page)).toContainText("has reached its cap");
  await expect(gauge(page, "Disk cache")).toHaveClass(/is-over/);
  await measureTake(page);
  await expect(verdict(page)).toContainText("180 frames in memory");
  // 50 % of 1280×720 at 8-bit is 921,600 bytes: no more than the cap holds was stored.
  expect((await application.frameFiles("ringing-station")).length).toBeLessThanOrEqual(
    Math.floor((0.05 * 2 ** 30) / 921_600),
  );
});

test("cached files that were cut short or altered are never shown: they are noticed and rendered again", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await fill(page);
  await expect.poll(async () => (await application.frameFiles("ringing-station")).length).toBe(180);
  const picture = async () => {
    await page.keyboard.press("End");
    await expect(page.locator(".viewer-time")).toContainText("frame 179");
    await page.keyboard.press("Home");
    return steadyPicture(page);
  };
  await setSwitch(page, "Sharpen when parked", false);
  await page.locator(".playhead").focus();
  const whole = await picture();
  for (const [index, file] of (await application.frameFiles("ringing-station")).entries()) {
    if (index % 2) await truncate(file, 1000);
    else await writeFile(file, Buffer.alloc(921_700, 0x7f));
  }
  await page.reload();
  await expect(notices(page)).toContainText("A frame on disk was damaged; it has been removed and is rendered again.");
  await expect(verdict(page)).toContainText("all 180 frames in memory");
  await page.locator(".playhead").focus();
  await expect.poll(async () => Buffer.compare(await picture(), whole)).toBe(0);
});

test("a bad composition file is refused with the reason and the place, and changes nothing", async ({
  page,
  application,
}, info) => {
  await openPreview(page, application);
  const bring = async (name: string, text: string) => {
    const file = info.outputPath(name);
    await writeFile(file, text);
    await page.getByLabel("Composition file").setInputFiles(file);
  };
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: /choose another/ }).click();
  await page.getByRole("button", { name: "Export Night Roost" }).click();
  const exported = info.outputPath("exported.json");
  await (await download).saveAs(exported);
  const good = await readFile(exported, "utf8");

  await bring("broken.json", good.slice(0, 5000));
  await expect(notices(page)).toContainText("broken.json was not imported:");
  await expect(notices(page)).toContainText("The file is not JSON");
  await bring("wrong.json", good.replace('"duration": 240', '"duration": -240'));
  await expect(notices(page)).toContainText("compositions.night-roost.duration: must be greater than or equal to 1");
  await bring("newer.json", good.replace(/"version": \d+/, '"version": 7'));
  await expect(notices(page)).toContainText("version: 7 was written by a newer release");
  await expect(page.getByRole("button", { name: "Composition Night Roost; choose another" })).toBeVisible();

  await bring("good.json", good.replaceAll("Night Roost", "Night Roost again"));
  await expect(page.getByRole("button", { name: "Composition Night Roost again; choose another" })).toBeVisible();
  await page.getByRole("button", { name: /choose another/ }).click();
  // Five compositions; new, import, three exports and remove.
  await expect(page.locator(".composition-menu .dropdown-item")).toHaveCount(11);
});

test("two tabs on the same data follow each other, and neither overwrites the other unseen", async ({
  page,
  application,
  context,
}) => {
  await openPreview(page, application);
  const other = await context.newPage();
  await openPreview(other, application);
  for (const tab of [page, other]) await tab.getByRole("button", { name: /^Reed line/ }).click();
  const exposure = (tab: Page) => tab.getByLabel("Exposure", { exact: true });
  await type(page, "Exposure", "1.2");
  await expect(exposure(other)).toHaveValue("1.2");
  await type(other, "Exposure", "-1");
  await expect(exposure(page)).toHaveValue("-1");
  // Both at once: the one that comes second is told, and shows what the first one stored.
  await Promise.all([type(page, "Exposure", "2"), type(other, "Exposure", "3")]);
  await expect(async () => expect(await exposure(page).inputValue()).toBe(await exposure(other).inputValue())).toPass();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(async () => expect(await exposure(page).inputValue()).toBe(await exposure(other).inputValue())).toPass();
});
