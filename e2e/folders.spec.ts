import { existsSync, mkdirSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { test as base, expect, goToSweep, openPreview } from "./application";

const test = base.extend<{ jobs: string }>({
  jobs: async ({}, use) => {
    const jobs = mkdtempSync(path.join(tmpdir(), "kinetocache-jobs-"));
    for (const name of ["Flyway 101/cache", "Flyway 102"]) mkdirSync(path.join(jobs, name), { recursive: true });
    await use(jobs);
    rmSync(jobs, { recursive: true });
  },
});

test("a folder is chosen in a tree by keys alone, and one that cannot be used says why", async ({
  page,
  application,
  jobs,
}) => {
  await openPreview(page, application);
  await page.getByRole("link", { name: "Sweep" }).click();
  await goToSweep(page, "Folders");
  const field = page.getByLabel(/^Full path of a cache folder/);
  await field.fill(jobs);
  await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
  const dialog = page.getByRole("dialog", { name: "Cache folder" });
  const row = (name: string) => dialog.getByRole("treeitem", { name: new RegExp(`^${name}`) });
  // It opens where the field points to.
  await expect(row(path.basename(jobs))).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(row("Flyway 101")).toBeFocused();
  await page.keyboard.press("ArrowRight");
  // What is in it is not known yet: the next one goes nowhere, and does no harm.
  await page.keyboard.press("ArrowRight");
  await expect(row("cache")).toBeVisible();
  await expect(row("Flyway 101").or(row("cache")).and(page.locator(":focus"))).toHaveCount(1);
  // From wherever that led, the next one goes to the folder in it, or stays there.
  await page.keyboard.press("ArrowRight");
  await expect(row("cache")).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(dialog.getByText(path.join(jobs, "Flyway 101/cache"))).toBeVisible();
  await dialog.getByRole("button", { name: "Choose this folder" }).press("Enter");
  await expect(field).toHaveValue(path.join(jobs, "Flyway 101/cache"));
  await page.getByRole("button", { name: "Register and scan" }).click();
  await expect(page.getByRole("region", { name: `Folder ${path.join(jobs, "Flyway 101/cache")}` })).toBeVisible();
  await expect(field).toHaveValue("");

  // Where its projects live is shown as the server has it, once it is set.
  const projects = page.getByLabel(/^Projects live in/);
  await projects.fill("projects");
  await page.getByRole("button", { name: "Set", exact: true }).click();
  await expect(page.getByText('"projects" is no full path, such as /mnt/fast/caches')).toBeVisible();
  await projects.fill(`${path.join(jobs, "Flyway 102")}/`);
  await page.getByRole("button", { name: "Set", exact: true }).click();
  await expect(projects).toHaveValue(path.join(jobs, "Flyway 102"));
  await expect(page.getByRole("button", { name: "Set", exact: true })).toBeDisabled();

  await field.fill(path.join(jobs, "Flyway 101/cache"));
  await page.getByRole("button", { name: "Choose: Cache folder" }).click();
  await expect(dialog.getByText(/^Cannot be chosen: .* which is swept; choose a folder beside it$/)).toBeVisible();
  await expect(dialog.getByRole("button", { name: "Choose this folder" })).toBeDisabled();
  await page.keyboard.press("Escape");
  await expect(dialog).toBeHidden();
  await expect(page.getByRole("button", { name: "Choose: Cache folder" })).toBeFocused();
});

test("a folder is made where one is chosen, and what cannot be made is said", async ({ page, application, jobs }) => {
  await openPreview(page, application);
  await page.getByRole("link", { name: "Storage" }).click();
  await page.getByRole("textbox", { name: "Folder to add" }).fill(path.join(jobs, "Flyway 102"));
  await page.getByRole("button", { name: "Choose: Folder to add" }).click();
  const dialog = page.getByRole("dialog", { name: "Folder to add" });
  const name = dialog.getByLabel("Name of a new folder");
  await expect(dialog.getByRole("treeitem", { name: /^Flyway 102/ })).toBeFocused();
  await name.fill("../frames");
  await name.press("Enter");
  await expect(dialog.getByRole("alert")).toContainText("a name without / and");
  await name.fill("frames");
  await name.press("Enter");
  await expect(dialog.getByRole("treeitem", { name: "frames" })).toHaveAttribute("aria-selected", "true");
  expect(existsSync(path.join(jobs, "Flyway 102/frames"))).toBe(true);
  await dialog.getByRole("button", { name: "Choose this folder" }).click();
  await page.getByRole("button", { name: "Add this folder" }).click();
  await expect(page.getByRole("region", { name: "Locations" })).toContainText("frames");
  // It writes there until then.
  await application.stop();
});

test("what is no full path is said at its field, and nothing is asked of the server", async ({ page, application }) => {
  await openPreview(page, application);
  await page.getByRole("link", { name: "Storage" }).click();
  const field = page.getByRole("textbox", { name: "Folder to add" });
  await page.getByRole("button", { name: "Add this folder" }).click();
  await expect(field).toBeFocused();
  await expect(field).toHaveAccessibleDescription("A full path is needed, such as /mnt/fast/caches");
  await field.fill("caches");
  await expect(field).toHaveAccessibleDescription("This is no full path, such as /mnt/fast/caches");
  await field.fill("/nowhere/caches");
  await expect(field).toHaveAccessibleDescription("");
});
