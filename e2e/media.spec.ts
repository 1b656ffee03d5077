import { copyFileSync, mkdirSync, readFileSync, renameSync, statSync, truncateSync, writeFileSync } from "node:fs";
import path from "node:path";
import type { Page } from "@playwright/test";
import { makeClip, turnClip } from "../testing/clips";
import { withFolder } from "../testing/server";
import { expect, framesInMemory, openPreview, steadyPicture, test, type, verdict } from "./application";

const DAWN = { coded: "H.264, one long group", size: "640x360", rate: "24000/1001", seconds: 3 } as const;

const files = (page: Page) => page.getByRole("list", { name: "Files of this composition" }).getByRole("listitem");
const choices = (page: Page) => page.getByRole("region", { name: "Clips to bring in" });

/** Opens Media, and registers a folder. */
async function registerMedia(page: Page, folder: string): Promise<void> {
  await page.getByRole("tab", { name: "Media" }).click();
  await page.getByRole("textbox", { name: "Folder with clips" }).fill(folder);
  await page.getByRole("button", { name: "Register this folder" }).click();
  await expect(choices(page).getByRole("listitem").first()).toBeVisible();
}

/** Makes a composition of a clip, as the dialog offers it. */
async function makeOf(page: Page, name: string): Promise<void> {
  await page.getByRole("button", { name: `New composition of ${name}` }).click();
  await page.getByRole("button", { name: "Make the composition" }).click();
  const plain = name.replace(/\.[^.]*$/, "");
  await expect(page.getByRole("button", { name: `Composition ${plain}; choose another` })).toBeVisible();
}

const addAsLayer = (page: Page, name: string) => page.getByRole("button", { name: `Add ${name} as a layer` }).click();

test("clips of one's own make a composition, stay where they are, and are there after a reload", async ({
  page,
  application,
}) => {
  await withFolder(async (folder) => {
    mkdirSync(path.join(folder, "day 1"));
    makeClip(path.join(folder, "day 1/estuary dawn.mp4"), DAWN);
    makeClip(path.join(folder, "ferry.webm"), { ...DAWN, coded: "VP9", size: "321x181", rate: "25" });
    makeClip(path.join(folder, "gulls.mkv"), { ...DAWN, coded: "AV1", size: "320x180", rate: "30" });
    makeClip(path.join(folder, "upright.mov"), { ...DAWN, coded: "H.264, all key frames" });
    turnClip(path.join(folder, "upright.mov"));
    await openPreview(page, application);
    await registerMedia(page, folder);
    await makeOf(page, "estuary dawn.mp4");
    await expect(page.locator(".strip-detail").first()).toContainText("640×360 · 23.976 fps");
    await expect(files(page)).toContainText(/640×360 · 23.976 fps · 72 fr · 00:00:03:00 · H.264 · one key frame · /);
    await expect(files(page)).toContainText(path.join(folder, "day 1/estuary dawn.mp4"));
    const first = await steadyPicture(page);

    // By part of its name, and by keys.
    await page.getByLabel("Part of a clip's name").fill("FERRY");
    await expect(choices(page).getByRole("listitem")).toHaveCount(1);
    await page.getByRole("button", { name: "Add ferry.webm as a layer" }).focus();
    await page.keyboard.press("Enter");
    await expect(files(page)).toHaveCount(2);
    await page.getByLabel("Part of a clip's name").fill("");
    await addAsLayer(page, "gulls.mkv");
    await expect(files(page)).toHaveCount(3);
    await addAsLayer(page, "upright.mov");
    await expect(page.locator(".notices")).toContainText("upright.mov: Turned clockwise by");
    await expect(files(page).filter({ hasText: "upright.mov" })).toContainText("360×640 · 23.976 fps");
    await expect(files(page).filter({ hasText: "upright.mov" })).toContainText("all key frames");
    await expect(files(page).filter({ hasText: "ferry.webm" })).toContainText("321×181 · 25 fps · 75 fr");
    // The same clip once more is the same file, shown by two layers.
    await addAsLayer(page, "gulls.mkv");
    await expect(files(page).filter({ hasText: "gulls.mkv" })).toContainText("2 layers");

    await type(page, "Idle delay", "0");
    await expect.poll(() => framesInMemory(page)).toBeGreaterThan(20);
    expect(await steadyPicture(page)).not.toEqual(first);
    await page.reload();
    await expect(verdict(page)).toContainText("in memory");
    await page.getByRole("tab", { name: "Media" }).click();
    await expect(files(page)).toHaveCount(4);
    await expect(page.locator(".layer-lost")).toHaveCount(0);
    // Nothing was copied, and each is one step back.
    await page.keyboard.press("Control+z");
    await expect(files(page).filter({ hasText: "gulls.mkv" })).toContainText("1 layer");
  });
});

test("what cannot be played is refused with the reason, and the rest goes on", async ({ page, application }) => {
  await withFolder(async (folder) => {
    const at = (name: string) => path.join(folder, name);
    makeClip(at("good.mp4"), DAWN);
    makeClip(at("tide.mov"), { ...DAWN, coded: "intermediate" });
    const cut = (name: string) => truncateSync(at(name), Math.floor(statSync(at(name)).size / 2));
    // The index is at its end.
    copyFileSync(at("good.mp4"), at("no index.mp4"));
    cut("no index.mp4");
    makeClip(at("cut.mkv"), DAWN);
    cut("cut.mkv");
    writeFileSync(at("letter.mp4"), "Dear editor, this is no clip at all.");
    writeFileSync(at("empty.webm"), "");
    await openPreview(page, application);
    await registerMedia(page, folder);
    await makeOf(page, "good.mp4");
    const refusals = [
      ["tide.mov", ": export the clip as H.264, VP9 or AV1"],
      ["no index.mp4", "cut short"],
      ["cut.mkv", "No picture of the clip is whole: it is cut short"],
      ["letter.mp4", "The clip is no MP4, MOV, WebM or Matroska file"],
      ["empty.webm", "The file is empty"],
    ] as const;
    for (const [name, reason] of refusals) {
      await addAsLayer(page, name);
      const notice = page.locator(".notices").getByText(`${name} was not brought in.`);
      await expect(notice).toContainText(reason);
      await page.keyboard.press("Escape");
    }
    await expect(files(page)).toHaveCount(1);
    await type(page, "Idle delay", "0");
    await expect.poll(() => framesInMemory(page)).toBeGreaterThan(20);
  });
});

test("a file that goes away is left out and said, found again by its content wherever it went, or replaced", async ({
  page,
  application,
}) => {
  await withFolder(async (folder) => {
    const at = (name: string) => path.join(folder, name);
    makeClip(at("dawn.mp4"), DAWN);
    makeClip(at("dusk.mp4"), { ...DAWN, size: "320x180" });
    // As large as the one that is looked for, and another one.
    writeFileSync(at("decoy.mp4"), Buffer.alloc(readFileSync(at("dawn.mp4")).length));
    await openPreview(page, application);
    await registerMedia(page, folder);
    await makeOf(page, "dawn.mp4");
    await addAsLayer(page, "dusk.mp4");
    await expect(files(page)).toHaveCount(2);

    mkdirSync(at("moved"));
    renameSync(at("dawn.mp4"), at("moved/renamed.mp4"));
    await page.reload();
    await expect(page.locator(".notices")).toContainText(`dawn.mp4 is not in ${folder} any more`);
    await page.getByRole("tab", { name: "Media" }).click();
    const dawn = files(page).filter({ hasText: "dawn.mp4" });
    await expect(dawn).toContainText("is not in");
    await expect(page.locator(".layer-lost")).toHaveText("cannot be read");
    await expect(verdict(page)).toContainText(", 1 clip missing");
    // The other layer is played.
    await type(page, "Idle delay", "0");
    await expect.poll(() => framesInMemory(page)).toBeGreaterThan(20);

    await page.getByRole("tab", { name: "Media" }).click();
    await dawn.getByRole("button", { name: "Look for it" }).click();
    await expect(page.locator(".notices")).toContainText("Found: dawn.mp4.");
    await expect(dawn).toContainText(at("moved/renamed.mp4"));
    await expect(page.locator(".layer-lost")).toHaveCount(0);

    // Another file in its place is not taken for it.
    makeClip(at("moved/renamed.mp4"), { ...DAWN, size: "322x182" });
    await page.reload();
    await expect(page.locator(".layer-lost")).toHaveText("cannot be read");
    await page.getByRole("tab", { name: "Media" }).click();
    await expect(dawn).toContainText("was changed since it was last looked at");
    await dawn.getByRole("button", { name: "Look for it" }).click();
    await expect(page.locator(".notices")).toContainText("A file of the same content is needed");
    await dawn.getByRole("button", { name: "Replace…" }).click();
    await choices(page).getByRole("button", { name: "Put renamed.mp4 in its place" }).click();
    await expect(page.locator(".layer-lost")).toHaveCount(0);
    await expect(files(page).filter({ hasText: "renamed.mp4" })).toContainText("322×182");
  });
});

test("an exported composition refers to its clips, and another machine finds them by their content", async ({
  page,
  application,
  browser,
}) => {
  await withFolder(async (folder) => {
    makeClip(path.join(folder, "dawn.mp4"), DAWN);
    await openPreview(page, application);
    await registerMedia(page, folder);
    await makeOf(page, "dawn.mp4");
    await page.getByRole("button", { name: /choose another/ }).click();
    const exported = page.waitForEvent("download");
    await page.getByRole("button", { name: "Export dawn" }).click();
    const file = await (await exported).path();
    expect(readFileSync(file).length).toBeLessThan(5000);

    // Another browser knows of no files; its server has the folder.
    const other = await (await browser.newContext()).newPage();
    await openPreview(other, application);
    await other.getByRole("button", { name: /choose another/ }).click();
    await other.getByLabel("Composition file").setInputFiles(file);
    await expect(other.getByRole("button", { name: "Composition dawn; choose another" })).toBeVisible();
    await expect(other.locator(".layer-lost")).toHaveText("cannot be read");
    await other.getByRole("tab", { name: "Media" }).click();
    await expect(files(other)).toContainText("dawn.mp4 was not found");
    await other.getByRole("button", { name: "Look for it" }).click();
    await expect(other.locator(".layer-lost")).toHaveCount(0);
    await expect(verdict(other)).toContainText("in memory");
    await other.context().close();
  });
});

test("another program's timeline comes in, what is missing is found later by name, and goes out again", async ({
  page,
  application,
}) => {
  await withFolder(async (folder) => {
    const [first, later] = ["day 1", "day 2"].map((name) => path.join(folder, name)) as [string, string];
    for (const one of [first, later]) mkdirSync(one);
    makeClip(path.join(first, "Dawn.mp4"), { ...DAWN, rate: "25" });
    makeClip(path.join(later, "reeds.webm"), { ...DAWN, coded: "VP9", size: "320x180", rate: "25" });
    await openPreview(page, application);
    await registerMedia(page, first);
    const list = `TITLE: Estuary cut
001  AX  V  C  00:00:00:10 00:00:01:10 01:00:00:00 01:00:01:00
* FROM CLIP NAME: dawn
002  AX  AA C  00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00
003  AX  V  D  012 00:00:00:00 00:00:02:00 01:00:00:12 01:00:02:12
* FROM CLIP NAME: reeds.webm
`;
    const bring = (name: string, text: string) =>
      page.getByLabel("Composition file").setInputFiles({ name, mimeType: "text/plain", buffer: Buffer.from(text) });
    await bring("nothing.edl", "TITLE: nothing");
    const dialog = page.getByRole("dialog");
    await expect(dialog).toContainText("No line is a cut of a picture");
    await expect(dialog.getByRole("button", { name: "Make the composition" })).toBeDisabled();
    await dialog.getByRole("button", { name: "Cancel" }).click();
    await bring("cut.edl", list);
    await dialog.getByLabel("Frames a second").selectOption("25");
    await expect(dialog).toContainText("Estuary cut: 2 clips on 2 tracks, 62 frames, at 25 frames per second.");
    await expect(dialog).toContainText("1 of 2 files found");
    await expect(dialog).toContainText("line 5: transition: the picture is cut there");
    await dialog.getByRole("button", { name: "Make the composition" }).click();
    await expect(dialog).toContainText("line 4: sound");
    await dialog.getByRole("button", { name: "Close" }).last().click();

    await expect(page.getByRole("button", { name: "Composition Estuary cut; choose another" })).toBeVisible();
    await expect(page.locator(".strip-detail").first()).toContainText("640×360 · 25 fps");
    await page.locator("label[for=order-time]").click();
    await expect(page.getByRole("slider", { name: "dawn in time" })).toHaveAttribute("aria-valuetext", "frames 0 – 24");
    await page.getByRole("tab", { name: "Media" }).click();
    const reeds = files(page).filter({ hasText: "reeds.webm" });
    await expect(reeds).toContainText("known by its name alone, from a timeline");
    await expect(reeds).toContainText("reeds.webm was not found");
    await page.getByRole("textbox", { name: "Folder with clips" }).fill(later);
    await page.getByRole("button", { name: "Register this folder" }).click();
    await expect(choices(page).getByText("reeds.webm")).toBeVisible();
    await reeds.getByRole("button", { name: "Look for it" }).click();
    await expect(reeds).toContainText("320×180 · 25 fps");
    await expect(verdict(page)).toContainText("of 62 frames in memory");

    // Out as OpenTimelineIO, and in again: the same clips on the same frames.
    await page.getByRole("button", { name: /choose another/ }).click();
    const [download] = await Promise.all([
      page.waitForEvent("download"),
      page.getByRole("button", { name: "Export its clips as OpenTimelineIO" }).click(),
    ]);
    expect(download.suggestedFilename()).toBe("estuary-cut.otio");
    await bring("again.otio", readFileSync(await download.path(), "utf8"));
    await expect(dialog).toContainText("Estuary cut: 2 clips on 2 tracks, 62 frames");
    await expect(dialog).toContainText("2 of 2 files found");
    await dialog.getByRole("button", { name: "Make the composition" }).click();
    await expect(dialog).toBeHidden();
    await page.locator("label[for=order-time]").click();
    await expect(page.getByRole("slider", { name: "reeds.webm in time" })).toHaveAttribute(
      "aria-valuetext",
      "frames 12 – 61",
    );
  });
});
