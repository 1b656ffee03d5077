import { fileURLToPath } from "node:url";
import { chromium, type Browser, type Page } from "@playwright/test";
import type { Document, EmbeddedClip } from "@kinetocache/core";
import { build } from "vite";
import type { Compared } from "./page";

/** Chromium with a software graphics adapter: far slower than the processor, and exact. */
export const SOFTWARE_GRAPHICS = ["--enable-unsafe-webgpu", "--use-webgpu-adapter=swiftshader"];

// Pages have a graphics device only where they count as secure, as those of the loopback address do.
const ADDRESS = "http://127.0.0.1/parity";

async function bundle(): Promise<string> {
  const built = await build({
    configFile: false,
    logLevel: "error",
    build: {
      write: false,
      target: "es2023",
      assetsInlineLimit: () => true,
      rollupOptions: { input: fileURLToPath(new URL("page.ts", import.meta.url)), output: { format: "es" } },
    },
  });
  const [result] = Array.isArray(built) ? built : [built];
  if (!("output" in result!)) throw new Error("Nothing was built");
  return result.output[0].code;
}

/** The renderers and the clip decoder in a browser page, without the application around them. */
export class Parity {
  private constructor(
    private readonly browser: Browser,
    private readonly page: Page,
  ) {}

  static async open(): Promise<Parity> {
    const code = await bundle();
    const executablePath = process.env.CHROMIUM ?? "/usr/bin/chromium";
    const browser = await chromium.launch({ executablePath, args: ["--no-sandbox", ...SOFTWARE_GRAPHICS] });
    const page = await browser.newPage();
    await page.route(ADDRESS, (route) => route.fulfill({ contentType: "text/html", body: "<title>Parity</title>" }));
    await page.goto(ADDRESS);
    await page.addScriptTag({ content: code, type: "module" });
    await page.waitForFunction(() => "parity" in globalThis);
    return new Parity(browser, page);
  }

  /** Renders frames on the processor and on a graphics device. */
  compare(document: Document, frames: readonly number[], fraction = 1): Promise<Compared> {
    return this.page.evaluate(async ([value, at, size]) => (await globalThis.parity).compare(value, at, size), [
      document,
      frames,
      fraction,
    ] as const);
  }

  /** Decodes frames of a clip in this order. @returns a checksum of each one's pixels */
  decode(clip: EmbeddedClip, frames: readonly number[]): Promise<number[]> {
    return this.page.evaluate(async ([value, at]) => (await globalThis.parity).decode(value, at), [
      clip,
      frames,
    ] as const);
  }

  async close(): Promise<void> {
    await this.browser.close();
  }
}
