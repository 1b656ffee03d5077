import type { ChildProcess } from "node:child_process";
import { mkdtemp, readdir, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { startedServer } from "../testing/startedServer";
import { typeInto } from "../testing/preview";
import { stored } from "../testing/stored";
import { test as base, expect, type Locator, type Page } from "@playwright/test";

/** The built application's server in a process of its own, with a data folder of its own. */
export class Application {
  private child: ChildProcess | undefined;
  private port = 0;

  constructor(readonly data: string) {}

  /** The address that lets a browser in. */
  address = "";

  /** Starts the server; after a stop it comes back on the same port, as the browser's data belongs to it. */
  async start(): Promise<void> {
    const { child, address } = await startedServer(this.data, this.port);
    this.child = child;
    this.address = address;
    this.port = Number(new URL(this.address).port);
  }

  async stop(signal: NodeJS.Signals = "SIGTERM"): Promise<void> {
    const { child } = this;
    if (!child) return;
    this.child = undefined;
    const ended = new Promise((resolve) => child.once("exit", resolve));
    child.kill(signal);
    await ended;
  }

  /** Paths of the frame files of a composition on disk. */
  async frameFiles(owner: string): Promise<string[]> {
    const folder = path.join(this.data, "volume/frames", owner);
    return (await readdir(folder).catch(() => [])).map((name) => path.join(folder, name));
  }
}

export const test = base.extend<{ application: Application }>({
  application: async ({}, use) => {
    // As long as paths on the drives of a studio are.
    const data = await mkdtemp(path.join(tmpdir(), "kinetocache-e2e, on the drive of a studio with long names-"));
    const application = new Application(data);
    await application.start();
    await use(application);
    await application.stop();
    await rm(data, { recursive: true, force: true });
  },
});

export { expect };

/** The sentence that opens Preview. */
export const verdict = (page: Page): Locator => page.locator(".verdict");

export const gauge = (page: Page, name: string): Locator => page.locator(".gauge", { hasText: name });

export async function openPreview(page: Page, { address }: Application): Promise<void> {
  await page.goto(address);
  await expect(verdict(page)).toContainText("in memory");
}

export async function chooseComposition(page: Page, name: string): Promise<void> {
  await page.getByRole("button", { name: /choose another/ }).click();
  await page
    .getByRole("button", { name: new RegExp(`^${name}`) })
    .last()
    .click();
  await expect(page.getByRole("button", { name: `Composition ${name}; choose another` })).toBeVisible();
}

/** Ends the range so many frames from the first one, where the playhead is. */
export async function limitRange(page: Page, frames: number): Promise<void> {
  await page.locator(".playhead").focus();
  for (let frame = 1; frame < frames; frame++) await page.keyboard.press("ArrowRight");
  await page.keyboard.press("o");
  await expect(page.locator(".range-text")).toHaveText(`in 0 – out ${frames - 1}`);
}

/** The part of the picture that no note covers. */
export async function steadyPicture(page: Page): Promise<Buffer> {
  await expect(page.locator(".viewer-time")).toContainText("frame 0");
  const { x, y } = (await page.locator(".viewer canvas").boundingBox())!;
  return page.screenshot({ clip: { x: x + 60, y: y + 60, width: 300, height: 160 } });
}

export { chooseIn as choose, reveal, setSwitch, typeInto as type } from "../testing/preview";

/** Measures a take and waits for its end. */
export async function measureTake(page: Page): Promise<void> {
  const takes = async () => (await stored(page, "takes")).length;
  const before = await takes();
  await page.getByRole("button", { name: "Measure a take" }).click();
  await expect.poll(takes).toBeGreaterThan(before);
  await expect(page.getByRole("button", { name: "Measure a take" })).toBeEnabled();
}

/** Has what is selected on Sweep planned and moved to holding. */
export async function sweepSelected(page: Page): Promise<void> {
  await page.getByRole("button", { name: /^Check .* before it goes$/ }).click();
  await page
    .getByRole("region", { name: "Before the move" })
    .getByRole("button", { name: /^Move .* to holding$/ })
    .click();
  await expect(page.getByRole("region", { name: "Moved" })).toContainText("moved to holding");
}

/** Goes to one of the parts of Sweep. */
export async function goToSweep(page: Page, part: string): Promise<void> {
  await page.getByRole("navigation", { name: "Sweep" }).getByRole("link", { name: part }).click();
}

/** Number of frames in memory by the sentence on Preview. */
export async function framesInMemory(page: Page): Promise<number> {
  const text = (await verdict(page).innerText()).replace(/,/g, "");
  return Number(/(\d+)(?: of \d+)? frames in memory/.exec(text)?.[1] ?? NaN);
}

/** Ringing Station filled into memory and on disk, after a short idle delay. */
export async function fill(page: Page): Promise<void> {
  await chooseComposition(page, "Ringing Station");
  await typeInto(page, "Idle delay", "0.5");
  await typeInto(page, "Memory budget in gigabytes", "1");
  await expect(verdict(page)).toContainText("all 180 frames in memory");
}

/** Keeps the database busy from a page beside, so that changes wait. @returns what lets them go on */
export async function holdDatabase(page: Page, { address }: Application): Promise<() => Promise<void>> {
  const beside = await page.context().newPage();
  await beside.goto(new URL("/api/machine", address).href);
  await beside.evaluate(async () => {
    const opened = indexedDB.open("kinetocache");
    await new Promise((resolve) => (opened.onsuccess = resolve));
    const documents = opened.result.transaction("documents", "readwrite").objectStore("documents");
    const hold = () => (documents.count().onsuccess = hold);
    hold();
  });
  await page.bringToFront();
  return () => beside.close();
}
