import { document, effect, layer } from "../../../../testing/documents";
import { applyEdit, parseDocument, type Document, type Layer } from "../composition";
import { buildGraph, FULL_QUALITY, inOrder, NO_BAKES } from "../graph";
import { CostModel, costSample } from "../render";
import { findWaste } from "./waste";

/** Every node takes a millisecond for a thousand units of work. */
function modelOf(value: Document): CostModel {
  const model = new CostModel();
  for (const node of inOrder(buildGraph(value, 0, FULL_QUALITY).root)) {
    const sample = costSample(node, 0);
    model.add({ ...sample, ms: sample.units / 1000 });
  }
  return model;
}

function wasteOf(value: Document) {
  return findWaste(value, { settings: FULL_QUALITY, bakes: NO_BAKES, model: modelOf(value) });
}

const still = { x: 0, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 };
const x = (value: number) => ({
  keyframes: [0, 24].map((frame) => ({ frame, value: value + frame, ease: "linear" as const })),
});
const birds = (change: Partial<Layer> = {}) => layer("birds", "flock", {}, change);
const kindsOf = (value: Document) => wasteOf(value).map(({ kind, layer: id }) => `${kind}: ${id}`);

test("a composition without waste has none", () => {
  expect(kindsOf(document([layer("sky", "noise"), birds({ effects: [effect("glow")] })]))).toEqual([]);
});

describe("a layer that is covered", () => {
  const cover = (change: Partial<Layer> = {}) => layer("cover", "solid", {}, change);

  test("by something opaque above is found with what it costs, and switching it off is the remedy", () => {
    const [found] = wasteOf(document([birds(), cover()]));
    expect(found).toMatchObject({ kind: "covered", layer: "birds", reason: "cover covers all of it on every frame" });
    expect(found!.costMs).toBeGreaterThan(0);
    const cured = applyEdit(document([birds(), cover()]), found!.remedy);
    expect(wasteOf(cured)).toEqual([]);
  });

  test.each([
    ["lets light through", { opacity: 0.99 }],
    ["is blended otherwise", { blend: "screen" as const }],
    ["is blurred at its edges", { effects: [effect("gaussianBlur", { edges: "transparent" })] }],
    ["moves away", { transform: { ...still, x: x(0) } }],
    ["is turned", { transform: { ...still, rotation: 1 } }],
    ["is not there all the time", { range: { in: 0, out: 20 } }],
    ["is switched off", { enabled: false }],
    ["has motion blur", { motionBlur: { enabled: true, shutter: 180, samples: 4 } }],
  ])("is not covered by one that %s", (_, change) => {
    expect(kindsOf(document([birds(), cover(change)]))).toEqual([]);
  });

  test("is covered by two that take turns, and by what is opaque within a nested composition", () => {
    const turns = [
      cover({ range: { in: 0, out: 12 } }),
      { ...cover({ range: { in: 12, out: 24 } }), id: "late", name: "late" },
    ];
    expect(kindsOf(document([birds(), ...turns]))).toEqual(["covered: birds"]);
    const outer = document([birds(), layer("nest", "composition", { composition: "inner" })]);
    const inner = { ...outer.compositions.main!, id: "inner", layers: [cover()] };
    expect(kindsOf({ ...outer, compositions: { ...outer.compositions, inner } })).toEqual(["covered: birds"]);
  });
});

test("a layer outside the picture on every frame is found; one that crosses it is not", () => {
  const away = (value: number) => document([layer("square", "solid", {}, { transform: { ...still, x: x(value) } })]);
  expect(kindsOf(away(70))).toEqual(["outside: square"]);
  expect(kindsOf(away(60))).toEqual([]);
});

test("a transparent layer, one after the end, and one that runs past the end are found", () => {
  expect(kindsOf(document([birds({ opacity: 0.001 })]))).toEqual(["transparent: birds"]);
  expect(kindsOf(document([layer("haze", "gradient", { opacity0: 0, opacity1: 0, opacity2: 0 })]))).toEqual([
    "transparent: haze",
  ]);
  expect(kindsOf(document([birds({ range: { in: 24, out: 30 } })]))).toEqual(["trimmed: birds"]);
  const long = document([birds({ range: { in: 5, out: 40 } })]);
  const [found] = wasteOf(long);
  expect(found).toMatchObject({ kind: "trimmed", reason: "16 of its frames lie after the composition's end" });
  expect(applyEdit(long, found!.remedy).compositions.main!.layers[0]!.range).toEqual({ in: 5, out: 24 });
});

test("effects that change nothing are found by layer and effect", () => {
  const neutral = document([birds({ effects: [effect("gaussianBlur", { radius: 0 }), effect("glow")] })]);
  expect(wasteOf(neutral)).toMatchObject([{ kind: "effect without result", layer: "birds", effect: "gaussianblur" }]);
  const plain = document([layer("sky", "solid", {}, { effects: [effect("gaussianBlur", { edges: "repeat" })] })]);
  const [found] = wasteOf(plain);
  expect(found).toMatchObject({ reason: "One plain colour looks the same afterwards" });
  expect(wasteOf(applyEdit(plain, found!.remedy))).toEqual([]);
  const faint = document([birds({ effects: [effect("grain", { amount: 0.1 })] })]);
  expect(wasteOf(faint)).toMatchObject([{ reason: "It is weaker than a step of 8-bit" }]);
});

describe("nested compositions", () => {
  const nest = (id: string, change: Partial<Layer> = {}) => layer(id, "composition", { composition: "inner" }, change);
  const withInner = (...layers: Layer[]) => {
    const outer = document(layers);
    const inner = { ...outer.compositions.main!, id: "inner", layers: [layer("cloud", "noise")] };
    return parseDocument({ ...outer, compositions: { ...outer.compositions, inner } });
  };

  test("one that is seen small is to be rendered smaller, at the size that is enough", () => {
    const value = withInner(nest("nest", { transform: { ...still, x: 10, scale: 0.3 } }));
    const [found] = wasteOf(value);
    expect(found).toMatchObject({ kind: "nested too large", reason: "Rendered at 64×36, seen at most at 20×11" });
    expect(found!.costMs).toBeGreaterThan(0);
    const cured = applyEdit(value, found!.remedy);
    expect(cured.compositions.main!.layers[0]!.source.parameters.rendered).toBe("33 %");
    expect(wasteOf(cured)).toEqual([]);
  });

  test("one that grows to its size later is left alone", () => {
    const scale = {
      keyframes: [0, 20].map((frame) => ({ frame, value: frame === 0 ? 0.2 : 1, ease: "linear" as const })),
    };
    expect(wasteOf(withInner(nest("nest", { transform: { ...still, x: 10, scale } })))).toEqual([]);
  });

  test("one that was switched off here and is rendered by another layer is found", () => {
    const value = withInner(nest("first", { enabled: false }), nest("second"));
    expect(wasteOf(value)).toMatchObject([
      {
        kind: "off here, shown there",
        layer: "second",
        remedy: { kind: "layerEnabled", layer: "second", enabled: false },
      },
    ]);
  });
});
