import { demoText, document, effect, layer } from "../../../../testing/documents";
import { largestDifference } from "../../../../testing/pictures";
import { nodeRenderer } from "../../../../testing/renderer";
import { parseDocumentText, type Document } from "../composition";
import { encodePng } from "../formats";
import { buildGraph, FULL_QUALITY, type RenderSettings } from "../graph";
import { RenderCancelled } from "./evaluator";
import type { Renderer } from "./renderer";

const night = parseDocumentText(demoText("night-roost"));
const small: RenderSettings = { ...FULL_QUALITY, fraction: 1 / 4 };

function pixels(renderer: Renderer, value: Document, frame = 0, settings: RenderSettings = FULL_QUALITY): Uint8Array {
  renderer.setAssets(value.assets);
  return renderer.render(buildGraph(value, frame, settings)).pixels;
}

test("a solid is its colour, and half of it over black is its half in linear light", async () => {
  const renderer = await nodeRenderer();
  expect([...pixels(renderer, document([layer("red", "solid", { colour: "#c04020" })])).subarray(0, 4)]).toEqual([
    192, 64, 32, 255,
  ]);
  const halved = document([
    layer("black", "solid", { colour: "#000000" }),
    layer("white", "solid", { colour: "#ffffff" }, { opacity: 0.5 }),
  ]);
  expect([...pixels(renderer, halved).subarray(0, 4)]).toEqual([188, 188, 188, 255]);
});

test("an empty composition is transparent", async () => {
  expect(pixels(await nodeRenderer(), document([])).every((value) => value === 0)).toBe(true);
});

test("a layer lands where its transform says", async () => {
  const renderer = await nodeRenderer();
  const png = encodePng({ width: 8, height: 8, depth: "8-bit", pixels: new Uint8Array(256).fill(255) });
  const still = layer(
    "still",
    "png",
    { asset: "white" },
    { transform: { x: 40, y: 10, anchorX: 4, anchorY: 4, scale: 2, rotation: 90 } },
  );
  const value = document([still], { assets: { white: { kind: "png", width: 8, height: 8, base64: png } } });
  const data = pixels(renderer, value);
  const alphaAt = (x: number, y: number) => data[(y * 64 + x) * 4 + 3];
  expect([alphaAt(40, 10), alphaAt(33, 3), alphaAt(46, 16)]).toEqual([255, 255, 255]);
  expect([alphaAt(30, 10), alphaAt(50, 10), alphaAt(40, 20)]).toEqual([0, 0, 0]);
});

test("SVG text is drawn with the shipped font", async () => {
  const text =
    '<svg xmlns="http://www.w3.org/2000/svg" width="64" height="36"><text x="2" y="30" font-family="Instrument Sans" font-weight="600" font-size="30" fill="#fff">Fly</text></svg>';
  const value = document([layer("title", "svg", { asset: "title" })], {
    assets: { title: { kind: "svg", width: 64, height: 36, text } },
  });
  const data = pixels(await nodeRenderer(), value);
  const covered = data.filter((alpha, i) => i % 4 === 3 && alpha > 200).length;
  expect(covered).toBeGreaterThan(150);
  expect(covered).toBeLessThan(900);
});

test("a frame is the same whether it is rendered alone, in order, or backwards", async () => {
  const frames = [100, 101, 102, 103];
  const [forwards, backwards] = [await nodeRenderer(), await nodeRenderer()];
  const inOrder = frames.map((frame) => pixels(forwards, night, frame, small));
  const reversed = [...frames]
    .reverse()
    .map((frame) => pixels(backwards, night, frame, small))
    .reverse();
  for (const [index, frame] of frames.entries()) {
    const alone = pixels(await nodeRenderer(), night, frame, small);
    expect(largestDifference(inOrder[index]!, alone)).toBe(0);
    expect(largestDifference(reversed[index]!, alone)).toBe(0);
  }
});

test("a branch that stays still is rendered once or twice and then held", async () => {
  const renderer = await nodeRenderer();
  renderer.setAssets(night.assets);
  const kinds = [10, 11, 12].map((frame) =>
    renderer.render(buildGraph(night, frame, small)).costs.map((cost) => `${cost.layer}/${cost.kind}`),
  );
  expect(kinds[0]).toContain("sky/gradient");
  expect(kinds[2]).not.toContain("sky/gradient");
  expect(kinds[2]).not.toContain("shore/svg");
  expect(kinds[2]).toContain("flock-near/flock");
  expect(renderer.heldBytes).toBeGreaterThan(0);
});

test("held branches stay within their bytes, and nothing leaks", async () => {
  const limit = 480 * 270 * 16 * 2;
  const renderer = await nodeRenderer(limit);
  renderer.setAssets(night.assets);
  const used = () => (renderer as unknown as { kernels: { arena: { usedBytes: number } } }).kernels.arena.usedBytes;
  const empty = used();
  for (let frame = 80; frame < 110; frame += 2) renderer.render(buildGraph(night, frame, small));
  expect(renderer.heldBytes).toBeLessThanOrEqual(limit);
  expect(used() - empty).toBe(renderer.heldBytes);
});

test("a cancelled frame stops between nodes, leaks nothing, and the next one is right", async () => {
  const renderer = await nodeRenderer();
  renderer.setAssets(night.assets);
  const graph = buildGraph(night, 104, small);
  let asked = 0;
  expect(() => renderer.render(graph, () => ++asked > 4)).toThrow(RenderCancelled);
  expect(asked).toBe(5);
  expect(largestDifference(renderer.render(graph).pixels, pixels(await nodeRenderer(), night, 104, small))).toBe(0);
});

test("depths hold the same picture: half and float agree with 8-bit and keep what is brighter than white", async () => {
  const renderer = await nodeRenderer();
  const bright = document([
    layer("white", "solid", { colour: "#ffffff" }, { effects: [effect("grade", { exposure: 2 })] }),
  ]);
  const float = new Float32Array(
    renderer.render(buildGraph({ ...bright, depth: "float" }, 0, FULL_QUALITY)).pixels.buffer,
  );
  expect(float[0]).toBeCloseTo(4, 4);
  const half = new Uint16Array(
    renderer.render(buildGraph({ ...bright, depth: "half" }, 0, FULL_QUALITY)).pixels.buffer,
  );
  expect(half[0]).toBe(0x4400);
  expect(pixels(renderer, bright)[0]).toBe(255);
});

test("missing artwork is an error that names it", async () => {
  const renderer = await nodeRenderer();
  const value = document([layer("title", "svg", { asset: "title" })], {
    assets: { title: { kind: "svg", width: 4, height: 4, text: "<svg" } },
  });
  expect(() => renderer.render(buildGraph(value, 0, FULL_QUALITY))).toThrow('The document has no asset "title"');
  renderer.setAssets(value.assets);
  expect(() => renderer.render(buildGraph(value, 0, FULL_QUALITY))).toThrow();
});

test("every source and effect of the catalogue renders at every preview size", async () => {
  const renderer = await nodeRenderer();
  const all = (["gaussianBlur", "directionalBlur", "glow", "grade", "grain", "displacement"] as const).map((kind) =>
    effect(kind, kind === "grade" ? { exposure: 0.5 } : {}),
  );
  const value = document(
    (["solid", "gradient", "noise", "flock"] as const).map((kind) => layer(kind, kind, {}, { effects: all })),
  );
  for (const fraction of [1, 1 / 2, 1 / 3, 1 / 4]) {
    const frame = renderer.render(buildGraph(value, 5, { ...FULL_QUALITY, fraction }));
    expect([frame.width, frame.height]).toEqual([Math.ceil(64 * fraction), Math.ceil(36 * fraction)]);
    expect(new Set(frame.costs.map((cost) => cost.kind)).size).toBe(11);
  }
});

test("a branch that frames go on without is given back: a clip that shows each frame twice keeps no trail", async () => {
  const renderer = await nodeRenderer();
  const clip = {
    kind: "clip" as const,
    width: 64,
    height: 36,
    rate: { numerator: 12, denominator: 1 },
    duration: 12,
    base64: "AAAA",
  };
  const value = document([layer("camera", "clip", { asset: "nest", offset: 0 })], { assets: { nest: clip } });
  renderer.setAssets(value.assets);
  let most = 0;
  for (let frame = 0; frame < 24; frame++) {
    renderer.render(buildGraph(value, frame, FULL_QUALITY));
    most = Math.max(most, renderer.heldBytes);
  }
  const picture = 64 * 36 * 16;
  expect(most).toBeGreaterThan(0);
  // Every other frame is one that was there before: of the last twelve frames, six and the newest.
  expect(most).toBeLessThanOrEqual(8 * picture);
});
