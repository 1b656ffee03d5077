import { chromium, type Page } from "@playwright/test";
import config from "../playwright.config";
import { expect, goToSweep, limitRange, measureTake, openPreview, test, type Application } from "./application";

/** What overlaps, is cut or cannot be reached on the present screen, in words. */
function faults(page: Page): Promise<string[]> {
  return page.evaluate(() => {
    const SLACK = 2;
    type Place = Pick<DOMRect, "left" | "top" | "right" | "bottom">;
    const nameOf = (element: Element) =>
      `${element.tagName.toLowerCase()}.${[...element.classList].join(".")} "${(element.getAttribute("aria-label") ?? element.textContent).trim().slice(0, 40)}"`;
    const ancestors = (element: Element): Element[] =>
      element.parentElement ? [element.parentElement, ...ancestors(element.parentElement)] : [];
    const cuts = (element: Element) => getComputedStyle(element).overflow !== "visible";
    const scrolls = (element: Element) => /auto|scroll/.test(getComputedStyle(element).overflow);
    const isShown = (element: Element) =>
      element.checkVisibility({ opacityProperty: true, visibilityProperty: true }) &&
      !element.matches(".btn-check, [type=file], .visually-hidden");
    /** What of a place is left between the boxes that cut; undefined where nothing is. */
    const within = (place: Place, boxes: readonly Element[]): Place | undefined => {
      let { left, top, right, bottom } = place;
      for (const box of boxes.filter(cuts)) {
        const around = box.getBoundingClientRect();
        [left, top] = [Math.max(left, around.left), Math.max(top, around.top)];
        [right, bottom] = [Math.min(right, around.right), Math.min(bottom, around.bottom)];
      }
      return right - left > SLACK && bottom - top > SLACK ? { left, top, right, bottom } : undefined;
    };
    const seen = (element: Element) => within(element.getBoundingClientRect(), ancestors(element));
    const meet = (one: Place, other: Place) =>
      Math.min(one.right, other.right) - Math.max(one.left, other.left) > SLACK &&
      Math.min(one.bottom, other.bottom) - Math.max(one.top, other.top) > SLACK;
    const found: string[] = [];
    const { scrollWidth, clientWidth } = document.documentElement;
    if (scrollWidth > clientWidth) found.push(`the page is ${scrollWidth} wide, in ${clientWidth}`);

    const controls = [
      ...document.querySelectorAll("a[href], button, input, select, textarea, summary, [role=slider]"),
    ].filter(isShown);
    for (const control of controls) {
      const { left, top, right, bottom } = control.getBoundingClientRect();
      const isOut = left < -SLACK || top < -SLACK || right > innerWidth + SLACK || bottom > innerHeight + SLACK;
      if (isOut && !ancestors(control).some(scrolls)) found.push(`out of reach: ${nameOf(control)}`);
      const isText = control.matches("button, a, select, summary");
      if (isText && control.scrollWidth > control.clientWidth + SLACK && !cuts(control) && control.clientWidth > 0)
        found.push(`runs over its edge: ${nameOf(control)}`);
    }
    // A list or a table may be wider than its place; what holds controls may not.
    for (const element of document.querySelectorAll(".panel, .tab-content, .tab-pane, .page, .stage"))
      if (isShown(element) && scrolls(element) && element.scrollWidth > element.clientWidth + SLACK)
        found.push(`scrolls sideways: ${nameOf(element)}`);
    // What stands in a sheet, or in one of the parts of the frame, stays in it.
    for (const element of document.querySelectorAll("body *")) {
      const around = element.parentElement?.closest(".sheet, .stage, .panel, .foot, .strip, .page");
      if (!around || !isShown(element) || element.closest("svg")) continue;
      const isScrolled = ancestors(element).some((one) => around.contains(one) && scrolls(one) && one !== around);
      const { right } = element.getBoundingClientRect();
      if (!isScrolled && seen(element) && right > around.getBoundingClientRect().right + SLACK)
        found.push(`beyond its edge: ${nameOf(element)}`);
    }
    const places = controls.flatMap((control) => {
      const place = seen(control);
      return place ? [{ control, place }] : [];
    });
    for (const [index, one] of places.entries())
      for (const other of places.slice(index + 1)) {
        const isInside = one.control.contains(other.control) || other.control.contains(one.control);
        if (!isInside && meet(one.place, other.place))
          found.push(`overlap: ${nameOf(one.control)} and ${nameOf(other.control)}`);
      }

    const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    while (texts.nextNode()) {
      const element = texts.currentNode.parentElement!;
      if (!texts.currentNode.textContent!.trim() || !isShown(element) || element.closest("svg, .cm-editor, label"))
        continue;
      const range = document.createRange();
      range.selectNodeContents(texts.currentNode);
      const text = range.getBoundingClientRect();
      const shown = within(text, [element, ...ancestors(element)]);
      if (!shown) continue;
      const covered = places.find(
        ({ control, place }) => meet(shown, place) && !control.contains(element) && !element.contains(control),
      );
      if (covered) found.push(`lies over a control: ${nameOf(element)} over ${nameOf(covered.control)}`);
      const box = [element, ...ancestors(element)].find(cuts);
      if (!box || scrolls(box)) continue;
      const around = box.getBoundingClientRect();
      const isCut = text.right > around.right + SLACK || text.bottom > around.bottom + SLACK + 1;
      // What is shortened on purpose is whole on hover.
      if (isCut && ![element, ...ancestors(element).slice(0, 3)].some((one) => one.hasAttribute("title")))
        found.push(`cut: ${nameOf(element)}`);
    }
    return found;
  });
}

/** Layer rows that are wholly in view. */
const rowsInView = (page: Page) =>
  page.evaluate(() => {
    const list = document.querySelector(".layer-list")!.getBoundingClientRect();
    return [...document.querySelectorAll(".layer-row")].filter((row) => {
      const { top, bottom } = row.getBoundingClientRect();
      return top >= list.top - 1 && bottom <= Math.min(list.bottom, innerHeight) + 1;
    }).length;
  });

/** Goes through every screen. @returns what is wrong on each */
async function walk(page: Page, application: Application): Promise<string[]> {
  const found: string[] = [];
  const look = async (screen: string) => found.push(...(await faults(page)).map((fault) => `${screen}: ${fault}`));
  await openPreview(page, application);
  expect(await rowsInView(page)).toBeGreaterThanOrEqual(3);
  await look("Preview");
  // A take of a second.
  await limitRange(page, 24);
  await measureTake(page);
  await page.locator(".layer-name").first().click();
  await look("Layer");
  for (const tab of ["Cache", "Waste", "Bakes"]) {
    await page.getByRole("tab", { name: tab }).click();
    await look(tab);
  }
  for (const [screen, ready] of [
    ["Bench", ".recharts-bar-rectangle"],
    ["Machine", ".programs tbody tr"],
    ["Storage", ".location-name"],
    ["Takes", ".frame-strip"],
  ] as const) {
    await page.getByRole("link", { name: screen, exact: true }).click();
    await page.locator(ready).first().waitFor();
    await look(screen);
  }
  await page.getByRole("link", { name: "Sweep", exact: true }).click();
  for (const part of ["Ledger", "Folders", "Rules", "Holding", "Wrap"]) {
    await goToSweep(page, part);
    await page.locator(".sheet").first().waitFor();
    await look(part);
  }
  return found;
}

test.describe("nothing overlaps, is cut or out of reach", () => {
  for (const [width, height] of [
    [1024, 768],
    [1280, 800],
    [1920, 1080],
    // A page of 1280 × 800, enlarged by half.
    [853, 533],
  ] as const)
    test(`at ${width} × ${height}`, async ({ page, application }) => {
      await page.setViewportSize({ width, height });
      expect(await walk(page, application)).toEqual([]);
    });

  test("with text half as large again", async ({ application }) => {
    const { args = [], ...options } = config.use!.launchOptions!;
    const browser = await chromium.launch({ ...options, args: [...args, "--blink-settings=defaultFontSize=24"] });
    try {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
      expect(await walk(page, application)).toEqual([]);
      // Every control grows with the text.
      const heights = await page
        .locator(".btn:visible, .form-select:visible")
        .evaluateAll((all) => all.map((one) => one.getBoundingClientRect().height));
      expect(Math.min(...heights)).toBeGreaterThan(28);
    } finally {
      await browser.close();
    }
  });
});
