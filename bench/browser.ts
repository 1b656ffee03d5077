import { mkdtemp, readdir, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium, type BrowserContext, type Page } from "@playwright/test";
import config from "../playwright.config";
import { chooseIn, typeInto } from "../testing/preview";
import { startedServer } from "../testing/startedServer";
import { stored } from "../testing/stored";

/** A take as the application stored it. */
export interface StoredTake {
  readonly summary: {
    readonly frames: number;
    readonly onTimeShare: number;
    readonly reachedRate: number;
    readonly skipped: number;
    readonly late: number;
    readonly hits: Readonly<Record<string, number>>;
  };
  readonly heldAtStart: { readonly memory: number; readonly disk: number };
  readonly layerMs: readonly { readonly layer: string | null; readonly ms: number }[];
  readonly renderedFrames?: { readonly frames: number; readonly meanMs: number };
}

/** Whether a process was started, by however many steps, by this one. */
async function isDescendant(pid: number): Promise<boolean> {
  for (let current = pid; current > 1;) {
    if (current === process.pid) return true;
    const stat = await readFile(`/proc/${current}/stat`, "utf8").catch(() => "");
    current = Number(stat.slice(stat.lastIndexOf(")") + 2).split(" ")[1] ?? 0);
  }
  return false;
}

/** The built application with its server and a browser, driven as a user drives it. */
export class Driver {
  private constructor(
    readonly page: Page,
    readonly url: string,
    readonly serverPid: number,
    readonly folder: string,
  ) {}

  static async with<T>(use: (driver: Driver) => Promise<T>): Promise<T> {
    const folder = await mkdtemp(path.join(tmpdir(), "kinetocache-bench-"));
    const { child: server, origin, cookie } = await startedServer(folder);
    let browser: BrowserContext | undefined;
    try {
      // With a profile, as users have: without one the browser keeps its storage in memory, which costs other times.
      browser = await chromium.launchPersistentContext(path.join(folder, "profile"), {
        ...config.use!.launchOptions,
        viewport: { width: 1280, height: 800 },
      });
      const [name, value] = cookie.split("=") as [string, string];
      await browser.addCookies([{ name, value, url: origin, sameSite: "Strict", httpOnly: true }]);
      const page = browser.pages()[0]!;
      page.setDefaultTimeout(180_000);
      return await use(new Driver(page, origin, server.pid!, folder));
    } finally {
      await browser?.close();
      server.kill("SIGKILL");
      await rm(folder, { recursive: true, force: true });
    }
  }

  async open(): Promise<void> {
    await this.page.goto(this.url);
    await this.verdict("in memory");
  }

  async verdict(text: string): Promise<void> {
    await this.page.waitForFunction(
      (wanted) => document.querySelector<HTMLElement>(".verdict")?.innerText.includes(wanted),
      text,
    );
  }

  /** Frames in memory, by the sentence on Preview. */
  async framesInMemory(): Promise<number> {
    const text = await this.page.locator(".verdict").innerText();
    return Number(/(\d+)(?: of \d+)? frames in memory/.exec(text)![1]);
  }

  /** Waits until memory has so many frames of the composition. */
  async hasFrames(wanted: number): Promise<void> {
    await this.page.waitForFunction(
      (least) => {
        const text = document.querySelector<HTMLElement>(".verdict")?.innerText ?? "";
        return Number(/(\d+)(?: of \d+)? frames in memory/.exec(text)?.[1] ?? 0) >= least;
      },
      wanted,
      { polling: 500 },
    );
  }

  async type(label: string, value: string): Promise<void> {
    await typeInto(this.page, label, value);
  }

  async choose(name: string, label: string): Promise<void> {
    await chooseIn(this.page, name, label);
  }

  /** Ends the range so many frames from the playhead, its own among them. */
  async stretch(frames: number): Promise<void> {
    await this.page.locator(".playhead").focus();
    for (let n = 1; n < frames; n++) await this.page.keyboard.press("ArrowRight");
    await this.page.keyboard.press("o");
  }

  /** Bytes that the disk cache may take. */
  async setCap(capBytes: number): Promise<void> {
    const headers = { origin: this.url };
    const response = await this.page.request.put(`${this.url}/api/locations/main`, { headers, data: { capBytes } });
    if (!response.ok()) throw new Error(await response.text());
  }

  /**
   * Memory of the page's process that is really in use; the browser keeps smaller ones beside it, for pages to come.
   * @param by all of it, or what is shared with other processes by its share
   */
  async pageProcessBytes(by: "Rss" | "Pss" = "Rss"): Promise<number> {
    let largest = 0;
    for (const pid of (await readdir("/proc")).filter((name) => /^\d+$/.test(name))) {
      const command = await readFile(`/proc/${pid}/cmdline`, "utf8").catch(() => "");
      if (!command.includes("--type=renderer") || !(await isDescendant(Number(pid)))) continue;
      const rollup = await readFile(`/proc/${pid}/smaps_rollup`, "utf8");
      const bytes = Number(new RegExp(`^${by}:\\s+(\\d+) kB`, "m").exec(rollup)?.[1] ?? 0) * 1024;
      largest = Math.max(largest, bytes);
    }
    return largest;
  }

  /** Has the page and the engine give up what nobody uses any more: when they do so by themselves is chance. */
  async collectGarbage(): Promise<void> {
    const session = await this.page.context().newCDPSession(this.page);
    const workers: string[] = [];
    session.on("Target.attachedToTarget", ({ sessionId }) => workers.push(sessionId));
    const answers: Promise<void>[] = [];
    await session.send("Target.setAutoAttach", { autoAttach: true, waitForDebuggerOnStart: false, flatten: false });
    for (const sessionId of workers) {
      answers.push(
        new Promise((resolve) =>
          session.on("Target.receivedMessageFromTarget", (answer) => {
            if (answer.sessionId === sessionId) resolve();
          }),
        ),
      );
      const message = JSON.stringify({ id: 1, method: "HeapProfiler.collectGarbage" });
      await session.send("Target.sendMessageToTarget", { sessionId, message });
    }
    await session.send("HeapProfiler.collectGarbage");
    await Promise.all(answers);
    await session.detach();
  }

  /** Opens Night Roost at another rate, everything else unchanged. */
  async openAtRate(framesPerSecond: number): Promise<void> {
    const text = await readFile("demo/compositions/night-roost.json", "utf8");
    const file = path.join(this.folder, "composition.json");
    await writeFile(
      file,
      text
        .replace('"numerator": 24', `"numerator": ${framesPerSecond}`)
        .replaceAll("Night Roost", `Night Roost ${framesPerSecond}`),
    );
    await this.page.getByLabel("Composition file").setInputFiles(file);
    await this.page.getByRole("button", { name: new RegExp(`Night Roost ${framesPerSecond};`) }).waitFor();
  }

  async openComposition(name: string): Promise<void> {
    const open = this.page.getByRole("button", { name: `Composition ${name}; choose another` });
    if (await open.isVisible()) return;
    await this.page.getByRole("button", { name: /choose another/ }).click();
    await this.page
      .getByRole("button", { name: new RegExp(`^${name}`) })
      .last()
      .click();
    await open.waitFor();
  }

  async goTo(screen: string): Promise<void> {
    await this.page.getByRole("link", { name: screen, exact: true }).click();
  }

  /** Gives the disk cache another place. @param label as the screen lists it */
  async storeIn(label: string): Promise<void> {
    await this.goTo("Storage");
    // The frame that is shown first is stored by then, and stays where it is.
    await this.page.locator('.gauge[href="/storage"]', { hasText: /[1-9][\d,]* fr/ }).waitFor();
    await this.page.getByLabel("Location for disk cache").selectOption({ label });
    await this.page.getByRole("button", { name: "Start empty" }).click();
  }

  /** Gives memory and waits until all of the composition is in it. */
  async fill(): Promise<void> {
    await this.type("Memory budget in gigabytes", "1");
    await this.type("Idle delay", "0");
    await this.verdict("all 240 frames in memory");
  }

  async take(): Promise<StoredTake> {
    const before = (await this.takes()).length;
    await this.page.getByRole("button", { name: "Measure a take" }).click();
    for (;;) {
      const takes = await this.takes();
      if (takes.length > before) return takes.at(-1)!;
      // Asking on every frame that the browser draws would disturb what is measured.
      await this.page.waitForFunction(
        () => !document.querySelector<HTMLButtonElement>(".transport button:nth-of-type(2)")?.disabled,
        undefined,
        { polling: 500 },
      );
    }
  }

  private takes(): Promise<StoredTake[]> {
    return stored(this.page, "takes");
  }
}
