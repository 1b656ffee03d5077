import fc from "fast-check";
import { document, effect, layer, referencedClip } from "../../../../testing/documents";
import {
  applyEdit,
  mainComposition,
  parseDocument,
  unnestingFault,
  type Animated,
  type BlendMode,
  type Document,
  type Edit,
  type Layer,
} from "../composition";
import { buildGraph } from "./build";
import { FULL_QUALITY } from "./settings";

const FRAMES = 24;
const keysOf = (value: Document) =>
  Array.from({ length: FRAMES }, (_, frame) => buildGraph(value, frame, FULL_QUALITY).key);

const still = { x: 0, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 };
const animated = (most: number): fc.Arbitrary<Animated> =>
  fc.oneof(
    fc.integer({ min: 0, max: most }),
    fc.uniqueArray(fc.integer({ min: -5, max: 30 }), { minLength: 1, maxLength: 3 }).map((frames) => ({
      keyframes: [...frames]
        .sort((a, b) => a - b)
        .map((frame, index) => ({ frame, value: (index * most) / 3, ease: "smooth" as const })),
    })),
  );

/** A layer of each kind that follows time in its own way: by media, by itself, by keyframes, with the shutter open. */
const layerOf = (id: string): fc.Arbitrary<Layer> =>
  fc
    .record({
      kind: fc.constantFrom("clip", "noise", "flock", "solid", "composition"),
      x: animated(20),
      opacity: animated(1),
      blend: fc.constantFrom<BlendMode>("normal", "screen", "multiply"),
      offset: fc.nat(9),
      grain: fc.boolean(),
      blurred: fc.boolean(),
      start: fc.integer({ min: -6, max: 6 }),
      ends: fc.uniqueArray(fc.integer({ min: -4, max: 28 }), { minLength: 2, maxLength: 2 }),
    })
    .map(({ kind, x, opacity, blend, offset, grain, blurred, start, ends }) => {
      const values: Layer["source"]["parameters"] =
        kind === "clip"
          ? { asset: "dawn", offset }
          : kind === "composition"
            ? { composition: "inner", offset }
            : kind === "solid"
              ? { colour: "#1c2330" }
              : {};
      return layer(id, kind as "solid", values, {
        transform: { ...still, x },
        opacity,
        blend,
        start,
        range: { in: Math.min(...ends), out: Math.max(...ends) },
        effects: grain ? [effect("grain"), effect("gaussianBlur", { radius: x })] : [],
        motionBlur: { enabled: blurred, shutter: 180, samples: 3 },
      });
    });

const documents: fc.Arbitrary<Document> = fc.tuple(layerOf("one"), layerOf("two"), layerOf("three")).map((layers) => {
  const made = document(layers, { assets: { dawn: referencedClip({ rate: { numerator: 25, denominator: 1 } }) } });
  const birds = layer("birds", "flock", {}, { transform: { ...still, x: 9 } });
  const inner = { ...mainComposition(document([birds])), id: "inner" };
  return parseDocument({ ...made, compositions: { ...made.compositions, inner } });
});
const ids = fc.constantFrom("one", "two", "three");
const frames = fc.integer({ min: -9, max: 33 });
const find = (value: Document, id: string) => mainComposition(value).layers.find((one) => one.id === id)!;
const alone = (value: Document, id: string): Document =>
  applyEdit(applyEdit(value, { kind: "layerMoved", layer: id, to: 0 }), {
    kind: "layerBlend",
    layer: id,
    blend: "normal",
  });

test("a layer that is slid shows on frame n + k what it showed on frame n", () => {
  fc.assert(
    fc.property(documents, ids, fc.integer({ min: -12, max: 12 }), (value, id, by) => {
      const settings = { ...FULL_QUALITY, solo: [id] };
      const first = find(value, id).range.in;
      const moved = parseDocument(applyEdit(value, { kind: "layerSlid", layer: id, in: first + by }));
      for (let frame = Math.max(0, -by); frame < Math.min(FRAMES, FRAMES - by); frame++)
        expect(buildGraph(moved, frame + by, settings).key).toBe(buildGraph(value, frame, settings).key);
      expect(applyEdit(moved, { kind: "layerSlid", layer: id, in: first })).toEqual(value);
    }),
  );
});

test("a layer that is trimmed or drawn out shows the same as before wherever it showed", () => {
  fc.assert(
    fc.property(documents, ids, frames, fc.integer({ min: 1, max: 20 }), (value, id, first, length) => {
      const settings = { ...FULL_QUALITY, solo: [id] };
      const range = { in: first, out: first + length };
      const trimmed = parseDocument(applyEdit(value, { kind: "layerRange", layer: id, range }));
      const before = find(value, id).range;
      const last = Math.min(FRAMES, range.out, before.out);
      for (let frame = Math.max(0, range.in, before.in); frame < last; frame++)
        expect(buildGraph(trimmed, frame, settings).key).toBe(buildGraph(value, frame, settings).key);
    }),
  );
});

test("a layer that is split shows the same on every frame, and can be split anywhere inside it", () => {
  fc.assert(
    fc.property(documents, ids, frames, (value, id, at) => {
      const { range } = find(value, id);
      const edit: Edit = { kind: "layerSplit", layer: id, at };
      if (at <= range.in || at >= range.out) {
        expect(() => applyEdit(value, edit)).toThrow(`can be split after frame ${range.in}`);
        return;
      }
      const split = parseDocument(applyEdit(value, edit));
      expect(mainComposition(split).layers).toHaveLength(4);
      expect(keysOf(split)).toEqual(keysOf(value));
    }),
  );
});

test("layers that are nested, and nested again, show the same; un-nested they are what they were", () => {
  fc.assert(
    fc.property(
      documents,
      fc.constantFrom<readonly string[]>(["one"], ["one", "two"], ["two", "three"]),
      (value, layers) => {
        const nested = parseDocument(applyEdit(value, { kind: "layersNested", layers, name: "Birds" }));
        expect(keysOf(nested)).toEqual(keysOf(value));
        const again = applyEdit(nested, { kind: "layersNested", layers: ["birds"], name: "Birds" });
        expect(keysOf(again)).toEqual(keysOf(value));
        const unnested = parseDocument(applyEdit(nested, { kind: "layerUnnested", layer: "birds" }));
        expect(keysOf(unnested)).toEqual(keysOf(value));
        expect(Object.keys(unnested.compositions)).toEqual(Object.keys(value.compositions));
        const shown = (one: Layer) => one.range.out > 0 && one.range.in < FRAMES;
        expect(mainComposition(unnested).layers.map(({ id }) => id)).toEqual(
          mainComposition(value)
            .layers.filter((one) => !layers.includes(one.id) || shown(one))
            .map(({ id }) => id),
        );
      },
    ),
  );
});

test("what would look different is not un-nested, and the reason is said", () => {
  const inner = { ...mainComposition(document([layer("birds", "flock")])), id: "inner" };
  const make = (change: Partial<Layer>, own: Partial<typeof inner> = {}) => {
    const made = document([layer("nest", "composition", { composition: "inner", offset: 0 }, change)]);
    return { ...made, compositions: { ...made.compositions, inner: { ...inner, ...own } } };
  };
  const faultOf = (value: Document) => unnestingFault(value, mainComposition(value), find(value, "nest"));
  expect(faultOf(make({}))).toBeUndefined();
  expect(faultOf(make({ effects: [effect("grain")] }))).toBe("it has effects");
  expect(faultOf(make({ opacity: 0.5 }))).toBe("its opacity is not 100 %");
  expect(faultOf(make({ blend: "screen" }))).toBe("its blend mode is screen");
  expect(faultOf(make({ transform: { ...still, x: 3 } }))).toBe("it is moved, scaled or turned");
  expect(faultOf(make({}, { width: 32 }))).toBe("its size is another");
  expect(faultOf(make({}, { rate: { numerator: 25, denominator: 1 } }))).toBe("its frame rate is another");
  expect(() => applyEdit(make({ opacity: 0.5 }), { kind: "layerUnnested", layer: "nest" })).toThrow(
    "nest cannot be un-nested: its opacity is not 100 %",
  );
  const three = document(["one", "two", "three"].map((id) => layer(id, "noise")));
  expect(() => applyEdit(three, { kind: "layersNested", layers: ["one", "three"], name: "Sky" })).toThrow(
    "two lies between the layers",
  );
});

test("layers that never show together change places without a frame that changes", () => {
  fc.assert(
    fc.property(documents, fc.integer({ min: 1, max: 23 }), (value, at) => {
      const [one, two] = ["one", "two"].map((id) => find(value, id));
      const ranged = [
        { kind: "layerRange", layer: one!.id, range: { in: 0, out: at } },
        { kind: "layerRange", layer: two!.id, range: { in: at, out: FRAMES } },
      ] as const;
      const apart = ranged.reduce<Document>(applyEdit, alone(value, "one"));
      const swapped = applyEdit(apart, { kind: "layerMoved", layer: "one", to: 1 });
      expect(keysOf(swapped)).toEqual(keysOf(apart));
    }),
  );
});

test("a group that has an effect, is faded or is one picture is composed by itself", () => {
  const value = document([layer("low", "noise"), layer("high", "flock", {}, { blend: "screen" })]);
  const nested = applyEdit(value, { kind: "layersNested", layers: ["high"], name: "Birds" });
  const whole = (edit: Edit) =>
    buildGraph(applyEdit(nested, edit), 0, FULL_QUALITY).root.inputs.map(({ kind }) => kind);
  expect(buildGraph(nested, 0, FULL_QUALITY).root.inputs.map(({ layer: of }) => of)).toEqual(["low", "birds"]);
  expect(whole({ kind: "layerOpacity", layer: "birds", opacity: 0.5 })).toEqual(["noise", "stack"]);
  expect(whole({ kind: "effectAdded", layer: "birds", effect: effect("grain") })).toEqual(["noise", "grain"]);
  expect(whole({ kind: "sourceParameter", layer: "birds", name: "blending", value: "As one picture" })).toEqual([
    "noise",
    "stack",
  ]);
});
