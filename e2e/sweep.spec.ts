import { existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { DEFAULT_RULE_FILE } from "@kinetocache/core";
import type { Page } from "@playwright/test";
import { makeDemoCaches } from "../scripts/demoCaches";
import {
  choose,
  chooseComposition,
  expect,
  goToSweep,
  openPreview,
  sweepSelected,
  test,
  type Application,
} from "./application";

const grid = (page: Page) => page.getByRole("grid", { name: "What could be swept" });
const row = (page: Page, name: string | RegExp) => grid(page).getByRole("row", { name });
const ringing = (page: Page) => row(page, /Ringing Station/);
const press = (page: Page, mark: "Keep" | "Delivered", name = "Ringing Station") =>
  page
    .getByRole("button", { name: `${mark}: ${name}` })
    .first()
    .click();
const check = (page: Page) => page.getByRole("button", { name: /^Check .* before it goes$/ });
const before = (page: Page) => page.getByRole("region", { name: "Before the move" });

/** Sweep with the simulated caches of the demo registered and scanned. */
async function withCaches(page: Page, application: Application): Promise<ReturnType<typeof makeDemoCaches>> {
  const made = makeDemoCaches(application.data);
  await openPreview(page, application);
  await choose(page, "background", "Off");
  await page.getByRole("link", { name: "Sweep" }).click();
  await goToSweep(page, "Folders");
  for (const folder of made.folders) {
    await page.getByRole("button", { name: `Register ${folder}` }).click();
    await expect(page.getByRole("region", { name: `Folder ${folder}` })).toContainText("Scanned just now");
  }
  await goToSweep(page, "Ledger");
  await expect(row(page, /Flyway Estuary.*Frames/)).toContainText("orphaned");
  return made;
}

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
  await expect(ringing(page)).toContainText("in use");
  await expect(page.locator("h1")).toHaveText("Nothing is stale");

  await press(page, "Delivered");
  await expect(ringing(page)).toContainText("Ringing Station is delivered");
  await expect(page.locator("h1")).toHaveText(/can go$/);
  // Frames of the take may still be on their way to disk.
  const shown = async () => Number(await ringing(page).locator(".ledger-name small").innerText());
  await expect.poll(async () => (await shown()) - (await application.frameFiles("ringing-station")).length).toBe(0);
  const csv = page.waitForEvent("download");
  await page.getByRole("button", { name: "CSV" }).click();
  const lines = (await readFile(await (await csv).path(), "utf8")).trim().split("\r\n");
  const delivered = lines.filter((line) => line.startsWith("Ringing Station,frames,delivered"));
  expect(delivered.length).toBe(await shown());
  const json = page.waitForEvent("download");
  await page.getByRole("button", { name: "JSON" }).click();
  expect(JSON.parse(await readFile(await (await json).path(), "utf8"))).toMatchObject({
    format: "kinetocache-ledger",
    items: expect.arrayContaining([expect.objectContaining({ project: "Ringing Station", state: "delivered" })]),
  });
  await press(page, "Keep");
  await expect(ringing(page)).toContainText("you keep all of Ringing Station");
  await expect(page.locator("h1")).toHaveText("Nothing is stale");
  await expect(page.getByLabel("Select Ringing Station, frames, kept")).toBeDisabled();
  await expect(page.getByRole("button", { name: /^Check .* before it goes/ })).toHaveCount(0);

  await application.stop();
  await application.start();
  await page.reload();
  await expect(page.getByRole("button", { name: "Keep: Ringing Station" })).toHaveAttribute("aria-pressed", "true");
  await page.getByRole("link", { name: "Storage" }).click();
  await expect(page.getByRole("button", { name: /^stale only 0 B/ })).toBeDisabled();

  await page.getByRole("link", { name: "Sweep" }).click();
  await press(page, "Delivered");
  await sweepSelected(page);
  await expect(ringing(page)).toHaveCount(0);
  await expect.poll(async () => (await application.frameFiles("ringing-station")).length).toBe(0);
  await goToSweep(page, "Holding");
  const holding = page.getByRole("region", { name: "Holding" });
  await expect(holding).toContainText(/items of Ringing Station.*goes in 7 days/);
  const days = page.getByLabel("Days until holding empties itself");
  await days.fill("30");
  await days.press("Enter");
  await expect(holding).toContainText("goes in 30 days");
  await page.getByLabel("Empties itself after").click();
  await expect(holding).toContainText("stays until you empty it");
  await page.getByRole("button", { name: "Bring back" }).click();
  await expect(page.locator("h1")).toHaveText("Holding is empty");
  await goToSweep(page, "Ledger");
  await expect(ringing(page)).toContainText("Ringing Station is delivered");
  await page.getByRole("link", { name: "Preview" }).click();
  await chooseComposition(page, "Ringing Station");
});

test("folders of other programs are registered, listed, swept, brought back in part, and let go", async ({
  page,
  application,
}) => {
  const { folders } = await withCaches(page, application);
  const [fast, spinning] = folders as [string, string];
  await expect(page.locator("h1")).toHaveText(/^10\.\d GB can go$/);
  // What nothing can make again is listed, and not selected.
  await expect(page.locator(".page-head")).toContainText(/29\.\d GB more has no owner: look before\./);
  await expect(page.getByLabel("Select Unclaimed, frames, ownerless")).not.toBeChecked();
  await expect(row(page, /Flyway Titles v3/)).toContainText("superseded by v4");
  await expect(row(page, /Unclaimed.*Frames/)).toContainText("nothing says whose it is");
  await expect(page.getByRole("region", { name: "Drive Spinning drive" })).toContainText(/No owner 24\.\d GB/);
  // The folder that somebody put footage in is not listed, and it is said why.
  await expect(row(page, /Flyway 105/)).toHaveCount(0);
  await goToSweep(page, "Folders");
  const sheet = page.getByRole("region", { name: `Folder ${spinning}` });
  await sheet.getByText("that a rule would take stay, and why").click();
  await expect(sheet).toContainText("Flyway 105/frames source media is in it: Flyway 105/frames/footage");
  await goToSweep(page, "Ledger");

  // Backups do not go by themselves, and the newest of each project not at all.
  const kind = page.getByRole("group", { name: "Kind" });
  await kind.getByText("Backups").click();
  await expect(page.getByLabel("Select Flyway 102, backups, idle")).not.toBeChecked();
  await expect(page.getByLabel("Select Flyway 102, backups, kept")).toBeDisabled();
  await kind.getByText("All kinds").click();

  // By the keyboard: down to a group, open it, back up.
  await page.getByLabel("Select all that is listed").focus();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowRight");
  await expect(grid(page).getByRole("button", { name: /^Close Flyway/ })).toHaveCount(1);
  await page.keyboard.press("ArrowLeft");
  await expect(grid(page).getByRole("button", { name: /^Close Flyway/ })).toHaveCount(0);

  // A filter's whole result is selected at once.
  await page.getByRole("button", { name: "Select nothing" }).click();
  await page.getByLabel("Search").fill("estuary");
  await expect(page.locator(".ledger-views")).toContainText("2 items listed, 0 of them selected");
  await page.getByLabel("Select all that is listed").check();
  await expect(page.locator(".ledger-views")).toContainText("2 of them selected");
  await page.locator("label", { hasText: /^Map$/ }).click();
  await page.locator(".map-cell", { hasText: /proxies/ }).click();
  await expect(page.locator(".ledger-views")).toContainText("1 of them selected");
  await page.locator(".map-cell", { hasText: /proxies/ }).click();
  await page.locator("label", { hasText: "By project" }).click();

  await check(page).click();
  await expect(before(page)).toContainText(/2 items, 714 files: frees 24\.\d GB/);
  await expect(before(page)).toContainText("cannot be rebuilt");
  await before(page).getByRole("button", { name: "Cancel" }).click();
  expect(existsSync(path.join(spinning, "Flyway Estuary/frames"))).toBe(true);
  // Something is added to one of them between listing and moving.
  writeFileSync(path.join(spinning, "Flyway Estuary/proxies/new.mp4"), "");
  await check(page).click();
  await expect(before(page)).toContainText("1 item, 700 files");
  await before(page).getByText("1 item skipped, and why").click();
  await expect(before(page)).toContainText("it changed since it was listed");
  await before(page)
    .getByRole("button", { name: /^Move .* to holding$/ })
    .click();
  await expect(page.getByRole("region", { name: "Moved" })).toContainText("1 item, 21.9 GB, moved to holding");
  expect(existsSync(path.join(spinning, "Flyway Estuary/frames"))).toBe(false);
  rmSync(path.join(spinning, "Flyway Estuary/proxies/new.mp4"));

  // Each item by itself, then a part of the batch back, also after a restart.
  await page.getByRole("button", { name: "Select nothing" }).click();
  await page.getByLabel("Search").fill("render 000");
  await page.locator("label", { hasText: "Each item" }).click();
  await expect(page.locator(".ledger-views")).toContainText("9 items listed");
  await page.getByLabel("Select all that is listed").check();
  await sweepSelected(page);
  await application.stop();
  await application.start();
  await goToSweep(page, "Holding");
  const holding = page.getByRole("region", { name: "Holding" });
  await expect(holding.getByRole("row", { name: /9 items of Unclaimed/ })).toBeVisible();
  await holding
    .getByRole("row", { name: /9 items of Unclaimed/ })
    .getByRole("button", { name: "Items" })
    .click();
  await page.getByLabel("Search in the batch").fill("0003");
  await page.getByLabel(/logs\/render 0003\.log/).check();
  await page.getByRole("button", { name: "Bring 1 item back" }).click();
  await expect(holding.getByRole("row", { name: /8 items of Unclaimed/ })).toBeVisible();
  // To let go of a part is asked for, with its size.
  await page.getByLabel("Search in the batch").fill("0004");
  await page.getByLabel(/logs\/render 0004\.log/).check();
  await page.getByRole("button", { name: "Empty 1 item…" }).click();
  await expect(holding.getByText(/^1 item, .*B, would be gone/)).toBeVisible();
  await holding.getByRole("button", { name: "Cancel" }).click();
  await expect(holding.getByRole("row", { name: /8 items of Unclaimed/ })).toBeVisible();
  expect(readdirSync(path.join(fast, "logs")).filter((name) => name.startsWith("render 000"))).toEqual([
    "render 0003.log",
  ]);
  await holding
    .getByRole("row", { name: /8 items/ })
    .getByRole("button", { name: /^Empty/ })
    .click();
  await holding.getByRole("button", { name: /B go for good$/ }).click();
  await expect(holding.getByRole("row", { name: /8 items/ })).toHaveCount(0);
  const history = page.getByRole("region", { name: "History" });
  await expect(history.getByRole("row", { name: /emptied by you/ })).toContainText(/free space from .* to /);
  const csv = page.waitForEvent("download");
  await page.getByRole("button", { name: "History as CSV" }).click();
  const lines = (await readFile(await (await csv).path(), "utf8")).trim().split("\r\n");
  expect(lines.map((line) => line.split(",")[1])).toEqual(["what", "swept", "swept", "brought back", "emptied"]);
});

test("rules show what they take before they are switched on, run, and are undone", async ({ page, application }) => {
  await withCaches(page, application);
  await goToSweep(page, "Rules");
  const first = page.getByRole("group", { name: "Rule 1", exact: true });
  await expect(first).toContainText(/would take \d+\.\d GB, \d items now/);
  await expect(page.getByRole("button", { name: "Run the rules now" })).toBeDisabled();

  // One that keeps wins over one that takes, and the screen says so.
  await page.getByRole("button", { name: "Add a rule" }).click();
  const added = page.getByRole("group", { name: "Rule 4" });
  await added.getByLabel("What rule 4 does").selectOption("never go");
  await added.getByLabel("Drive of rule 4").selectOption("Spinning drive");
  await added.getByRole("checkbox").first().check();
  await expect(first).toContainText(/stay: "Frames on .*spinning never go" keeps them/);

  // A run waits for the change that is on its way: what is shown is what runs.
  let arrive = () => {};
  const arrived = new Promise<void>((resolve) => (arrive = resolve));
  await page.route("**/api/sweep/settings", async (route) => {
    if (route.request().method() === "PUT") await arrived;
    await route.continue();
  });
  await first.getByRole("checkbox").first().check();
  await expect(page.locator("h1")).toContainText("1 rule on");
  await page.getByRole("button", { name: "Run the rules now" }).click();
  await expect(page.getByRole("button", { name: "Run the rules now" })).toBeDisabled();
  arrive();
  const done = page.getByRole("region", { name: "What the rules did" });
  await expect(done).toContainText(/GB moved to holding/);
  await expect(first).toContainText("takes 0 B, 0 items now");
  await done.getByRole("button", { name: "Undo" }).click();
  await expect(first).toContainText(/takes \d+\.\d GB/);

  await page.getByLabel("Run by a timetable").check();
  await expect(page.locator(".page-head")).toContainText("Next run");

  // The rule file says what it makes of a path while it is typed, and what is wrong with it.
  const typeFile = async (items: readonly object[]) => {
    await page.getByLabel("The file, in JSON").click();
    await page.keyboard.press("Control+a");
    await page.keyboard.insertText(JSON.stringify({ ...DEFAULT_RULE_FILE, items }));
  };
  const verdicts = page.getByRole("list", { name: "What the paths would be" });
  await page.getByLabel(/^Try it/).fill("Heron/viewer leftovers/a.bin\nHeron/footage/a.mov");
  await expect(verdicts).toContainText("Heron/viewer leftovers/a.bin no item: no rule is for it");
  await expect(verdicts).toContainText("Heron/footage/a.mov never an item: media");
  const leftovers = { name: "Leftovers", kind: "frames", item: "folder", pattern: "**/{project}/viewer leftovers" };
  await typeFile([leftovers, ...DEFAULT_RULE_FILE.items]);
  await expect(verdicts).toContainText('Frames of Heron, item "Heron/viewer leftovers", by rule "Leftovers"');
  await typeFile([{ ...leftovers, pattern: "**/{owner}/x" }]);
  await expect(page.getByRole("alert")).toContainText('rule "Leftovers": pattern');
  await expect(page.getByRole("alert")).toContainText("{owner} is not known");
  await expect(page.getByRole("button", { name: "Save the rule file" })).toBeDisabled();
  await typeFile([leftovers]);
  await page.getByRole("button", { name: "Save the rule file" }).click();
  await goToSweep(page, "Ledger");
  await expect(page.locator(".ledger-views")).toContainText(/Map1 item listed/);
});

test("a job is wrapped: originals gathered and verified, generated files in holding, and opened again", async ({
  page,
  application,
}) => {
  const { folders, projects } = await withCaches(page, application);
  await goToSweep(page, "Wrap");
  const file = path.join(projects, "Flyway 102/Flyway 102.project.json");
  await page.getByLabel(/^Project a composition/).selectOption(file);
  await expect(page.locator("h1")).toHaveText(/^Flyway 102: .* of originals, 4\.\d+ GB generated, 1 missing$/);
  await expect(page.getByRole("list", { name: "Originals" })).toContainText("footage/clip 3.mov media, missing");
  // On the simulated drive that the caches are not on: what is gathered is no part of the application's data.
  const target = path.join(path.dirname(projects), "wrapped");
  await page.getByLabel(/^Gather the originals/).fill(folders[0] + "/inside");
  await page.getByRole("button", { name: "Wrap Flyway 102" }).click();
  await expect(page.locator(".notices")).toContainText("which is swept; choose a folder beside it");
  await page.getByLabel(/^Gather the originals/).fill(target);
  // With media missing, what was generated may be all that is left of it.
  await expect(page.getByRole("note")).toContainText("1 original is missing");
  await expect(page.getByLabel(/^Then move the generated/)).not.toBeChecked();
  await page.getByLabel(/^Then move the generated/).check();
  await page.getByRole("button", { name: "Wrap Flyway 102" }).click();
  await expect(page.locator(".notices")).toContainText(
    "3 originals gathered; 1 missing; 2 generated items are in holding",
  );
  expect(existsSync(file)).toBe(true);
  expect(existsSync(path.join(folders[1]!, "Flyway 102/proxies"))).toBe(false);
  // Backups are needed to reopen it.
  expect(readdirSync(path.join(folders[1]!, "Flyway 102/backups"))).toHaveLength(12);
  const manifest = JSON.parse(readFileSync(path.join(target, "gathered.json"), "utf8")) as Record<string, unknown>;
  expect(manifest).toMatchObject({ format: "kinetocache-gathered", missing: [{ reference: "footage/clip 3.mov" }] });

  const reopen = page.getByRole("region", { name: "Reopen" });
  await reopen.getByRole("combobox", { name: "Gathered folder" }).fill(target);
  await reopen.getByRole("button", { name: "Reopen" }).click();
  await expect(reopen).toContainText("3 of 3 files of Flyway 102 are as they were, 1 missing.");
  await expect(reopen.getByRole("list", { name: "Missing media" })).toContainText("footage/clip 3.mov was missing");
  // It was put somewhere else, under another name.
  await reopen.getByRole("textbox", { name: "Folder to look in" }).fill(path.join(projects, "somewhere else"));
  await reopen.getByRole("button", { name: "Look for missing media" }).click();
  await expect(reopen).toContainText("Relinked: footage/clip 3.mov by checksum.");
  await expect(reopen).toContainText("4 of 4 files of Flyway 102 are as they were.");

  // A composition of this application is wrapped like any project, but for what is in use.
  await chooseComposition(page, "Ringing Station");
  await page.getByLabel(/^Project a composition/).selectOption("Night Roost");
  await expect(page.locator("h1")).toHaveText(/^Night Roost: .* of originals, .* generated$/);
  await expect(page.getByRole("list", { name: "Originals" })).toContainText("night-roost.json project");
  const own = path.join(path.dirname(target), "wrapped composition");
  await page.getByLabel(/^Gather the originals/).fill(own);
  await page.getByRole("button", { name: "Wrap Night Roost" }).click();
  await expect(page.locator(".notices")).toContainText(/1 original gathered; \d+ generated items are in holding/);
  const composition = JSON.parse(readFileSync(path.join(own, "night-roost.json"), "utf8")) as { id: string };
  expect(composition.id).toBe("night-roost");
});
