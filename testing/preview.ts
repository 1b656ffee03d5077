import type { Locator, Page } from "@playwright/test";

/** Brings a control to light that is on another tab of the panel. */
export async function reveal(control: Locator): Promise<Locator> {
  await control.waitFor({ state: "attached" });
  const pane = control.locator("xpath=ancestor::*[@role='tabpanel'][1]");
  if ((await pane.count()) === 0) return control;
  const tab = await pane.getAttribute("aria-labelledby");
  await control.page().locator(`#${tab}`).click();
  return control;
}

/** Types into a field and applies it. */
export async function typeInto(page: Page, label: string, value: string): Promise<void> {
  const field = await reveal(page.getByLabel(label, { exact: true }));
  await field.fill(value);
  await field.press("Enter");
}

/** Chooses one of a row of alternatives, by the name of the row and how it begins. */
export async function chooseIn(page: Page, name: string, label: string): Promise<void> {
  const option = page.locator(`[name=${name}] + label`, { hasText: label });
  await (await reveal(option)).click();
}

/** Sets a switch. */
export async function setSwitch(page: Page, label: string, on: boolean): Promise<void> {
  await (await reveal(page.getByLabel(label, { exact: true }))).setChecked(on);
}
