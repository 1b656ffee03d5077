import { demoText, document, effect, layer } from "../../../../testing/documents";
import { largestDifference } from "../../../../testing/pictures";
import { nodeRenderer } from "../../../../testing/renderer";
import { parseDocumentText, type Document } from "../composition";
import { RenderCancelled } from "../drawing";
import { encodePng } from "../formats";
import { Bakes, buildBakeGraph, buildGraph, FULL_QUALITY, inOrder, type Bake, type RenderSettings } from "../graph";
import { NO_BRANCHES } from "./branch";
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

test("a composition without layers is a transparent picture", async () => {
  const renderer = await nodeRenderer();
  const frame = renderer.render(buildGraph(document([]), 0, FULL_QUALITY));
  expect([frame.width, frame.height]).toEqual([64, 36]);
  expect(frame.pixels.every((value) => value === 0)).toBe(true);
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

test("motion blur is the mean of the layer at the moments of its samples, in linear light", async () => {
  const at = (frame: number) => ({
    keyframes: [0, 24].map((key) => ({ frame: key, value: (key - frame) * 4, ease: "linear" as const })),
  });
  const square = (frame: number, blurred: boolean) =>
    document(
      [
        layer(
          "square",
          "flock",
          { count: 30, wingspan: 12, centreX: 30, centreY: 18 },
          {
            transform: { x: at(frame), y: 3, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 },
            motionBlur: { enabled: blurred, shutter: 360, samples: 4 },
          },
        ),
      ],
      { depth: "float" },
    );
  const renderer = await nodeRenderer();
  const still = square(0, false);
  const floats = (bytes: Uint8Array) => new Float32Array(bytes.slice().buffer);
  const blurred = floats(pixels(renderer, square(0, true), 8));
  const samples = [-0.375, -0.125, 0.125, 0.375].map((moment) => {
    // The same layer, whose keyframes and flight are moved in time instead.
    const moved = {
      ...still,
      compositions: {
        main: {
          ...still.compositions.main!,
          layers: still.compositions.main!.layers.map((one) => ({
            ...one,
            source: { ...one.source, parameters: { ...one.source.parameters, speed: (8 + moment) / 8 } },
            transform: { ...one.transform, x: at(-moment) },
          })),
        },
      },
    };
    return floats(pixels(renderer, moved, 8));
  });
  const mean = blurred.map((_, index) => samples.reduce((sum, sample) => sum + sample[index]!, 0) / 4);
  expect(largestDifference(blurred, mean)).toBeLessThan(1e-5);
  expect(largestDifference(blurred, samples[0]!)).toBeGreaterThan(0.1);
});

describe("branches", () => {
  const birds = (values: object = {}) =>
    layer(
      "birds",
      "flock",
      { count: 12, wingspan: 6, centreX: 40, centreY: 12, ...values },
      { effects: [effect("glow", { radius: 3 })] },
    );
  const value = document([layer("sky", "noise", { size: 20 }), birds()]);

  test("one that another renderer made is taken over: its layer is not rendered, the picture is the same", async () => {
    const first = await nodeRenderer();
    const graph = buildGraph(value, 5, FULL_QUALITY);
    const key = graph.root.inputs[1]!.key;
    const whole = first.render(graph, () => false, { held: new Map(), keep: new Set([key]) });
    expect(whole.branches.map((branch) => branch.key)).toEqual([key]);
    const second = await nodeRenderer();
    const held = new Map(whole.branches.map((branch) => [branch.key, branch]));
    const again = second.render(graph, () => false, { held, keep: new Set() });
    expect(again.pixels).toEqual(whole.pixels);
    expect(again.costs.filter((cost) => cost.layer === "birds")).toEqual([]);
    expect(again.costs.some((cost) => cost.layer === "sky")).toBe(true);
  });

  test("it is cut to what it holds, which is a small part of the picture", async () => {
    const renderer = await nodeRenderer();
    const plain = document([layer("birds", "flock", { count: 3, wingspan: 4, spread: 5, centreX: 40, centreY: 12 })]);
    const [node] = buildGraph(plain, 5, FULL_QUALITY).root.inputs;
    const { branch } = renderer.renderBranch(node!);
    const { x, y, width, height } = branch.window;
    expect(width * height).toBeLessThan(64 * 36 * 0.5);
    expect(branch.pixels).toHaveLength(width * height * 16);
    const floats = new Float32Array(branch.pixels.buffer);
    const alphas = (from: number, step: number, count: number) =>
      Array.from({ length: count }, (_, n) => floats[(from + n * step) * 4 + 3]!);
    // Each edge of it holds something.
    for (const edge of [
      alphas(0, 1, width),
      alphas((height - 1) * width, 1, width),
      alphas(0, width, height),
      alphas(width - 1, width, height),
    ])
      expect(Math.max(...edge)).toBeGreaterThan(0);
    expect([x >= 0, y >= 0]).toEqual([true, true]);
  });

  test("one of an empty layer is empty, and can be taken over", async () => {
    const renderer = await nodeRenderer();
    const empty = document([
      layer("birds", "flock", { count: 1, wingspan: 2, spread: 1, centreX: -900, centreY: -900 }),
    ]);
    const graph = buildGraph(empty, 5, FULL_QUALITY);
    const { branch } = renderer.renderBranch(graph.root.inputs[0]!);
    expect([branch.window.width, branch.pixels.length]).toEqual([0, 0]);
    const { pixels: shown } = renderer.render(graph, () => false, {
      held: new Map([[branch.key, branch]]),
      keep: new Set(),
    });
    expect(shown.every((channel) => channel === 0)).toBe(true);
  });
});

test("an effect that is under way is given up within it, and nothing of it stays in memory", async () => {
  const renderer = await nodeRenderer();
  const large = document([layer("sky", "noise", {}, { effects: [effect("displacement"), effect("gaussianBlur")] })]);
  const value = { ...large, compositions: { main: { ...large.compositions.main!, width: 1024, height: 1024 } } };
  const graph = buildGraph(value, 0, FULL_QUALITY);
  const nodes = inOrder(graph.root).length;
  const used = () => renderer.usedBytes;
  const before = used();
  let looks = 0;
  renderer.render(graph, () => ++looks < 0);
  const most = looks;
  expect(most).toBeGreaterThan(10 * nodes);
  for (let stop = 1; stop < most; stop += 7) {
    looks = 0;
    expect(() => renderer.render(graph, () => ++looks >= stop)).toThrow(RenderCancelled);
    expect(used()).toBe(before + renderer.heldBytes);
  }
});

describe("what is baked", () => {
  const value = document([
    layer("sky", "noise", { size: 20 }),
    layer(
      "birds",
      "flock",
      { count: 12, wingspan: 6, centreX: 30, centreY: 16 },
      { blend: "screen", opacity: 0.7, effects: [effect("glow", { radius: 3 })] },
    ),
  ]);
  const target = { composition: "main", layer: "birds" };

  test.each([
    ["float", 1e-6],
    ["half", 1e-3],
    ["8-bit", 2 / 255],
  ] as const)("at %s plays as the live layer does", async (depth, tolerance) => {
    const live = await nodeRenderer();
    const how = { fraction: 1, renderer: "cpu-1", depth } as const;
    const graph = buildBakeGraph(value, target, 3, how);
    const stored = live.render(graph);
    const bake: Bake = {
      id: "b",
      target,
      range: { in: 3, out: 4 },
      ...how,
      location: "main",
      sequence: "s",
      keys: [graph.liveKey],
      packed: true,
      complete: true,
      enabled: true,
      locked: false,
    };
    const bakes = new Bakes([bake]);
    const baked = await nodeRenderer(0, [stored]);
    const deep = { ...value, depth: "float" as const };
    const floats = (bytes: Uint8Array) => new Float32Array(bytes.slice().buffer);
    const played = baked.render(buildGraph(deep, 3, FULL_QUALITY, bakes));
    expect(played.costs.filter(({ layer: id }) => id === "birds").map(({ kind }) => kind)).toEqual(["sequence"]);
    const expected = floats(live.render(buildGraph(deep, 3, FULL_QUALITY)).pixels);
    expect(largestDifference(floats(played.pixels), expected)).toBeLessThan(tolerance);
  });

  test("a picture that cannot be read is an error that names it", async () => {
    const renderer = await nodeRenderer();
    const how = { fraction: 1, renderer: "cpu-1", depth: "half" } as const;
    const { liveKey } = buildBakeGraph(value, target, 3, how);
    const bakes = new Bakes([
      {
        id: "b",
        target,
        range: { in: 3, out: 4 },
        ...how,
        location: "main",
        sequence: "s",
        keys: [liveKey],
        packed: true,
        complete: true,
        enabled: true,
        locked: false,
      },
    ]);
    expect(() => renderer.render(buildGraph(value, 3, FULL_QUALITY, bakes), undefined, NO_BRANCHES)).toThrow(
      "s has no frame 0",
    );
  });
});
