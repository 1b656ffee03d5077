import { demoText, document, effect, layer } from "../../../../testing/documents";
import { nodeRenderer } from "../../../../testing/renderer";
import { mainComposition, parseDocumentText, type Document } from "../composition";
import { buildGraph, FULL_QUALITY, type RenderSettings } from "../graph";
import { workingBuffers } from "./workingBuffers";

const demo = (id: string) => parseDocumentText(demoText(id));

/** What rendering really took, over every n-th frame. */
async function measuredPeak(value: Document, settings: RenderSettings, every: number): Promise<number> {
  const renderer = await nodeRenderer();
  renderer.setAssets(value.assets);
  let peak = 0;
  for (let frame = 0; frame < mainComposition(value).duration; frame += every)
    peak = Math.max(peak, renderer.render(buildGraph(value, frame, settings)).peakBytes);
  return peak;
}

test.each(["night-roost", "ringing-station"])(
  "for %s, what is predicted is within 10 %% of what is used",
  async (id) => {
    const settings = { ...FULL_QUALITY, fraction: 1 / 4 };
    const { peakBytes, memoryBytes } = workingBuffers(demo(id), settings, 512 * 2 ** 20);
    const measured = await measuredPeak(demo(id), settings, 7);
    expect(Math.abs(peakBytes / measured - 1)).toBeLessThan(0.1);
    expect(memoryBytes).toBeGreaterThanOrEqual(peakBytes);
  },
);

test("one still solid needs its picture, the picture below, and the finished frame at its depth", () => {
  const solid = document([layer("solid", "solid", { colour: "#336699" })], { depth: "float" });
  const { width, height } = mainComposition(solid);
  const { peakBytes } = workingBuffers(solid, FULL_QUALITY);
  // Two pictures of 16 bytes a pixel, and the tables of the transfer curve.
  const pictures = 2 * width * height * 16;
  expect(peakBytes).toBeGreaterThanOrEqual(pictures);
  expect(peakBytes).toBeLessThan(pictures + 2 ** 17);
});

test("a wide blur needs more than none, and a smaller preview less", () => {
  const blurred = (radius: number) =>
    document([layer("solid", "solid", {}, { effects: radius > 0 ? [effect("gaussianBlur", { radius })] : [] })]);
  const peak = (radius: number, fraction = 1) =>
    workingBuffers(blurred(radius), { ...FULL_QUALITY, fraction }).peakBytes;
  expect(peak(12)).toBeGreaterThan(1.4 * peak(0));
  expect(peak(12, 0.5)).toBeLessThan(0.5 * peak(12));
});
