import { expect, test } from "@playwright/test";
import { parseDocumentText } from "@kinetocache/core";
import { demoText } from "../testing/documents";
import { effectCases, otherCases } from "../testing/parity/cases";
import { Parity } from "../testing/parity/parity";

// What a graphics device renders is what the processor renders: within 2 steps of 255 at 8-bit.
const MOST_STEPS = 2;

let parity: Parity;
test.beforeAll(async () => {
  parity = await Parity.open();
});
test.afterAll(() => parity.close());

for (const { name, document } of [...otherCases(), ...effectCases()]) {
  test(`on a graphics device as on the processor: ${name}`, async () => {
    const { difference, written, costs, nodesTimed } = await parity.compare(document, [0, 7]);
    // A thousandth of the value is one step of half float, which a device may round either way.
    expect(difference).toBeLessThanOrEqual(document.depth === "8-bit" ? MOST_STEPS : 0.001);
    if (name !== "nothing") expect(written).toBeGreaterThan(0);
    expect(costs).toBeGreaterThan(0);
    expect(nodesTimed).toBe(true);
  });
}

for (const id of ["night-roost", "ringing-station"]) {
  test(`the demo composition ${id} looks the same on a graphics device, frame after frame`, async () => {
    const { difference } = await parity.compare(parseDocumentText(demoText(id)), [0, 1, 2, 100, 101], 1 / 4);
    expect(difference).toBeLessThanOrEqual(MOST_STEPS);
  });
}
