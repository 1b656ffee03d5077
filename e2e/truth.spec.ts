import type { Page } from "@playwright/test";
import { stored } from "../testing/stored";
import { choose, expect, fill, framesInMemory, measureTake, openPreview, test, verdict } from "./application";

/** What each layer costs on average over the range. */
async function layerCosts(page: Page): Promise<ReadonlyMap<string, number>> {
  await page.locator("label[for=over-range]").click();
  const rows = await page.locator(".layer-row").evaluateAll((all) =>
    all.map((row): [string, string] => {
      const text = (part: string) => row.querySelector<HTMLElement>(part)!.innerText;
      return [text(".layer-name strong"), text(".layer-ms")];
    }),
  );
  return new Map(rows.map(([name, text]) => [name, Number(/[\d.]+/.exec(text)?.[0] ?? NaN)]));
}

/** How many frames' costs are kept for the next session. */
async function framesKept(page: Page): Promise<number> {
  const records = await stored<{ readonly record: { readonly frames: { readonly keys: string[] } } }>(page, "costs");
  return Math.max(0, ...records.map(({ record }) => record.frames.keys.length));
}

test("what layers cost is known after a reload, beside it that they are cached, and the verdict is of now", async ({
  page,
  application,
}) => {
  await openPreview(page, application);
  await fill(page);
  await page.locator("label[for=over-range]").click();
  const cached = page.locator(".layer-row .layer-cached", { hasText: "cached" });
  await expect(cached).toHaveCount(await page.locator(".layer-row").count());
  await choose(page, "background", "Off");
  await measureTake(page);
  // All but those that a worker rendered before it was warm.
  await expect.poll(() => framesKept(page)).toBeGreaterThan(100);
  // Frames that were estimated when less was known are looked at again.
  let before = await layerCosts(page);
  let same = 0;
  await expect(async () => {
    const then = before;
    before = await layerCosts(page);
    same = [...before].every(([name, ms]) => then.get(name) === ms) ? same + 1 : 0;
    expect(same).toBe(3);
  }).toPass({ intervals: [1500] });
  const seen = await verdict(page).innerText();
  await page.reload();
  // Nothing is in memory any more; what the take came to began with all of it.
  await expect.poll(() => framesInMemory(page)).toBeLessThan(5);
  await expect(verdict(page)).toContainText(/Should play .*last take: [\d.]+ % on time, begun with 180 in memory/s);
  expect(seen).not.toContain("Should play about");
  await expect(cached).toHaveCount(before.size);
  await expect(async () => {
    const after = await layerCosts(page);
    // How close they come is a figure of the benchmark; here it matters that they are known.
    for (const [name, ms] of before) expect(Math.abs(after.get(name)! - ms)).toBeLessThanOrEqual(0.25 * ms + 1);
  }).toPass();
  // All of it is on disk: rendering it for a first guess would be in vain.
  await expect(page.locator(".gauge", { hasText: "Average frame" })).toContainText("heaviest");
});

test("a take in whose middle a setting changes ends, is not kept, and that is said", async ({ page, application }) => {
  await openPreview(page, application);
  await fill(page);
  const button = page.getByRole("button", { name: "Measure a take" });
  await button.click();
  await expect(button).toBeDisabled();
  await choose(page, "size", "33 %");
  await expect(page.getByRole("alert")).toContainText(
    "The take ended early: what it was of, or a setting, has changed.",
  );
  await page.getByRole("link", { name: "Takes" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("No take has been measured yet");
});
