import { expect, test } from "@playwright/test";
import { parseDocumentText, type EmbeddedClip } from "@kinetocache/core";
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

test.describe("clips", () => {
  const clip = parseDocumentText(demoText("ringing-station")).assets["nest-camera"] as EmbeddedClip;
  const all = Array.from({ length: clip.duration }, (_, frame) => frame);

  test("a frame is the same whether it is reached in order, by a jump ahead, or by going back", async () => {
    const inOrder = await parity.decode(clip, all);
    expect(new Set(inOrder).size).toBeGreaterThan(100);
    const jumps = [149, 0, 73, 74, 76, 72, 10, 9, 11, 140, 149, 148, 3];
    expect(await parity.decode(clip, jumps)).toEqual(jumps.map((frame) => inOrder[frame]));
    // Every other frame, as one of two workers has it, and each frame twice.
    const odd = all.filter((frame) => frame % 2 === 1);
    expect(await parity.decode(clip, odd)).toEqual(odd.map((frame) => inOrder[frame]));
    expect(await parity.decode(clip, [5, 5, 6, 6])).toEqual([5, 5, 6, 6].map((frame) => inOrder[frame]));
  });

  test("a frame that the clip does not have, and a file that is no clip, are told", async () => {
    await expect(parity.decode(clip, [clip.duration])).rejects.toThrow(`The clip has no frame ${clip.duration}`);
    const noise = { ...clip, base64: Buffer.from("no clip at all").toString("base64") };
    await expect(parity.decode(noise, [0])).rejects.toThrow("The clip");
  });

  test("a file that ends in the middle shows what it has, and says what it has not", async () => {
    const half = { ...clip, base64: clip.base64.slice(0, 4 * Math.floor(clip.base64.length / 8)) };
    const [first] = await parity.decode(clip, [0]);
    expect(await parity.decode(half, [0])).toEqual([first]);
    await expect(parity.decode(half, [clip.duration - 1])).rejects.toThrow("The clip");
  });
});
