import fc from "fast-check";
import { effect, referencedClip } from "../../../../testing/documents";
import { EFFECTS } from "../drawing";
import {
  keyAfter,
  keyBefore,
  keyframeAt,
  withEase,
  withKeyframe,
  withKeyframeMoved,
  withoutKeyframe,
  type Animated,
} from "./animation";
import { BLEND_MODES } from "./blend";
import { idOf, MADE_SOURCES, newDocument, newEffect, newLayer, newMediaLayer } from "./create";
import {
  mainComposition,
  mediaFilesOf,
  openName,
  openVariant,
  MOST_EFFECTS,
  MOST_LAYERS,
  type Document,
  type Layer,
} from "./document";
import { applyEdit, clipAdded, type Edit } from "./edit";
import { propertiesOf, propertyEdit, propertyId } from "./property";
import { convertFrame } from "./rate";
import { parseDocument } from "./schema";
import { NAMED_RATES } from "./typed";

const EMPTY = newDocument(
  { name: "Flyway ident", width: 640, height: 360, rate: { numerator: 25, denominator: 1 }, duration: 50 },
  "half",
);

const add = (document: Document, kind: (typeof MADE_SOURCES)[number]) =>
  applyEdit(document, { kind: "layerAdded", layer: newLayer(kind, mainComposition(document)), assets: {} });

const three = add(add(add(EMPTY, "gradient"), "noise"), "flock");
const names = (document: Document) => mainComposition(document).layers.map(({ name }) => name);
const layerOf = (document: Document, id: string): Layer =>
  mainComposition(document).layers.find((layer) => layer.id === id)!;

test("a new composition is a valid document without layers, under an id made of its name", () => {
  expect(parseDocument(EMPTY)).toEqual(EMPTY);
  expect(EMPTY.id).toBe("flyway-ident");
  expect(idOf("  Möwe № 3 ")).toBe("mowe-3");
  expect(idOf("—")).toBe("composition");
  expect(idOf("x".repeat(200))).toHaveLength(58);
});

test("new layers are whole, named apart, and fill the picture", () => {
  const twice = add(three, "gradient");
  expect(names(twice)).toEqual(["Gradient", "Procedural noise", "Flock", "Gradient 2"]);
  expect(mainComposition(twice).layers[0]).toMatchObject({
    range: { in: 0, out: 50 },
    start: 0,
    source: { parameters: { y1: 360 } },
  });
  expect(parseDocument(twice)).toEqual(twice);
});

test("a layer is duplicated right above, moved within the stack, renamed and removed", () => {
  const copied = applyEdit(three, { kind: "layerDuplicated", layer: "procedural-noise" });
  expect(names(copied)).toEqual(["Gradient", "Procedural noise", "Procedural noise copy", "Flock"]);
  expect(names(applyEdit(copied, { kind: "layerMoved", layer: "flock", to: 0 }))[0]).toBe("Flock");
  expect(names(applyEdit(copied, { kind: "layerMoved", layer: "gradient", to: 99 })).at(-1)).toBe("Gradient");
  expect(names(applyEdit(three, { kind: "layerRenamed", layer: "flock", name: "Geese" }))).toContain("Geese");
  expect(names(applyEdit(three, { kind: "layerRemoved", layer: "gradient" }))).toEqual(["Procedural noise", "Flock"]);
});

test("effects are added, ordered and removed", () => {
  let edited = three;
  for (const kind of ["grain", "glow", "grain"] as const)
    edited = applyEdit(edited, {
      kind: "effectAdded",
      layer: "flock",
      effect: newEffect(kind, layerOf(edited, "flock")),
    });
  const ids = (document: Document) => layerOf(document, "flock").effects.map(({ id }) => id);
  expect(ids(edited)).toEqual(["grain", "glow", "grain-2"]);
  expect(ids(applyEdit(edited, { kind: "effectMoved", layer: "flock", effect: "grain-2", to: 0 }))).toEqual([
    "grain-2",
    "grain",
    "glow",
  ]);
  expect(ids(applyEdit(edited, { kind: "effectRemoved", layer: "flock", effect: "glow" }))).toEqual([
    "grain",
    "grain-2",
  ]);
  expect(parseDocument(edited)).toEqual(edited);
});

test("what is not there is named, and nothing is added twice", () => {
  const gone: Edit[] = [
    { kind: "layerRemoved", layer: "reeds" },
    { kind: "layerMoved", layer: "reeds", to: 0 },
    { kind: "layerDuplicated", layer: "reeds" },
    { kind: "effectRemoved", layer: "flock", effect: "reeds" },
    { kind: "effectMoved", layer: "flock", effect: "reeds", to: 0 },
  ];
  for (const edit of gone) expect(() => applyEdit(three, edit)).toThrow("reeds");
  const graded = applyEdit(three, { kind: "effectAdded", layer: "flock", effect: effect("grade") });
  expect(() => applyEdit(graded, { kind: "effectAdded", layer: "flock", effect: effect("grade") })).toThrow("grade");
});

test("more layers or effects than a document may have are refused", () => {
  let full = EMPTY;
  while (mainComposition(full).layers.length < MOST_LAYERS) full = add(full, "solid");
  expect(() => add(full, "solid")).toThrow("Flyway ident has 500 layers; the most there can be is 500");
  const grain = (document: Document): Edit => ({
    kind: "effectAdded",
    layer: "flock",
    effect: newEffect("grain", layerOf(document, "flock")),
  });
  let grainy = three;
  while (layerOf(grainy, "flock").effects.length < MOST_EFFECTS) grainy = applyEdit(grainy, grain(grainy));
  expect(() => applyEdit(grainy, grain(grainy))).toThrow("Flock has 32 effects");
});

test("whatever is done to it, a document stays one that can be stored and read again", () => {
  const step = fc.tuple(fc.nat(9), fc.nat(20), fc.nat(20));
  fc.assert(
    fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
      let document = three;
      for (const [what, which, where] of steps) document = applyEdit(document, editOf(document, what, which, where));
      expect(parseDocument(JSON.parse(JSON.stringify(document)))).toEqual(document);
    }),
    { numRuns: 50 },
  );
});

/** One of the edits, of what is there; another layer where there is none. */
function editOf(document: Document, what: number, which: number, where: number): Edit {
  const main = mainComposition(document);
  const layer = main.layers[which % Math.max(1, main.layers.length)];
  const added: Edit = {
    kind: "layerAdded",
    layer: newLayer(MADE_SOURCES[where % MADE_SOURCES.length]!, main),
    assets: {},
  };
  if (!layer) return added;
  const { id } = layer;
  const kinds = Object.keys(EFFECTS) as (keyof typeof EFFECTS)[];
  const last = layer.effects.at(-1);
  switch (what) {
    case 0:
      return { kind: "layerRemoved", layer: id };
    case 1:
      return { kind: "layerDuplicated", layer: id };
    case 2:
      return { kind: "layerMoved", layer: id, to: where };
    case 3:
      return { kind: "layerRenamed", layer: id, name: `Layer ${where}` };
    case 4:
      return { kind: "layerBlend", layer: id, blend: BLEND_MODES[where % BLEND_MODES.length]! };
    case 5:
      return { kind: "effectAdded", layer: id, effect: newEffect(kinds[where % kinds.length]!, layer) };
    case 6:
      return last ? { kind: "effectRemoved", layer: id, effect: last.id } : added;
    case 7:
      return last ? { kind: "effectMoved", layer: id, effect: last.id, to: where } : added;
    case 8:
      return { kind: "layerRange", layer: id, range: { in: where, out: where + 5 } };
    default:
      return added;
  }
}

describe("clips that stay where they are", () => {
  const clip = referencedClip({ width: 3840, height: 2160 });
  const other = referencedClip({}, { fingerprint: "1".repeat(32) });
  const withClip = applyEdit(EMPTY, clipAdded(EMPTY, clip));
  const dawn = Object.keys(withClip.assets)[0]!;

  test("a layer of one fits into the picture, is as long as it shows something, and is valid", () => {
    expect(parseDocument(withClip)).toEqual(withClip);
    const { width } = mainComposition(EMPTY);
    expect(layerOf(withClip, "dawn-mp4").transform).toMatchObject({ scale: width / clip.width, x: 0 });
  });

  test("its length is that of the clip at the composition's rate, to the last frame on which it shows something", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...Object.values(NAMED_RATES)),
        fc.constantFrom(...Object.values(NAMED_RATES)),
        fc.integer({ min: 1, max: 100_000 }),
        (rate, own, duration) => {
          const composition = { ...mainComposition(EMPTY), rate, duration: 1_000_000 };
          const { range } = newMediaLayer("clip", "dawn", { ...clip, rate: own, duration }, "dawn", composition);
          expect(convertFrame(range.out - 1, rate, own)).toBeLessThan(duration);
          expect(convertFrame(range.out, rate, own)).toBeGreaterThanOrEqual(duration);
        },
      ),
    );
  });

  test("the same file is the same asset, and one that was replaced is another", () => {
    const twice = applyEdit(withClip, clipAdded(withClip, { ...clip, file: { ...clip.file, name: "renamed.mp4" } }));
    expect(twice.assets).toEqual(withClip.assets);
    const replaced = applyEdit(withClip, { kind: "clipsReplaced", clips: { [dawn]: other } });
    const again = applyEdit(replaced, clipAdded(replaced, clip));
    expect(again.assets[dawn]).toBe(other);
    expect(mediaFilesOf(again)).toEqual([other.file, clip.file]);
    expect(parseDocument(again)).toEqual(again);
  });

  test("another one takes its place wherever it is shown, and undo has it back", () => {
    const replaced = applyEdit(withClip, { kind: "clipsReplaced", clips: { [dawn]: other } });
    expect(replaced.assets[dawn]).toBe(other);
    expect(mainComposition(replaced)).toBe(mainComposition(withClip));
    expect(mediaFilesOf(replaced)).toEqual([other.file]);
    expect(() => applyEdit(withClip, { kind: "clipsReplaced", clips: { dusk: other } })).toThrow('no clip "dusk"');
  });
});

test("a nested composition is opened by itself, and the way back is the variant that shows it", () => {
  const nested = applyEdit(three, { kind: "layersNested", layers: ["flock"], name: "Birds" });
  const opened = applyEdit(nested, { kind: "nestedOpened", composition: "birds" });
  expect(parseDocument(opened)).toEqual(opened);
  expect([openName(opened), openVariant(opened).name]).toEqual(["Birds", "Original"]);
  const edited = applyEdit(opened, { kind: "layerRenamed", layer: "flock", name: "Geese" });
  const back = applyEdit(edited, { kind: "variantShown", variant: openVariant(edited).composition });
  expect(names(back)).toEqual(["Gradient", "Procedural noise", "Birds"]);
  expect(names(applyEdit(back, { kind: "layerUnnested", layer: "birds" }))).toContain("Geese");
  // A variant is a copy of a variant.
  expect(() => applyEdit(opened, { kind: "variantAdded", name: "Dawn" })).toThrow("no variant");
  expect(() => applyEdit(three, { kind: "nestedOpened", composition: "birds" })).toThrow('shows a composition "birds"');
});

test("keyframes are set, moved, eased, removed and found", () => {
  let value: Animated = withKeyframe(3, 10, 5);
  expect(value).toEqual({ keyframes: [{ frame: 10, value: 5, ease: "linear" }] });
  value = withEase(withKeyframe(value, 20, 9), 10, "smooth");
  // In between, it travels on as it did there.
  value = withKeyframe(value, 15, 7);
  expect(keyframeAt(value, 15)).toEqual({ frame: 15, value: 7, ease: "smooth" });
  expect([keyBefore(value, 15)?.frame, keyAfter(value, 15)?.frame, keyBefore(value, 10)]).toEqual([10, 20, undefined]);
  value = withKeyframeMoved(value, 15, 30);
  expect(value).toMatchObject({ keyframes: [{ frame: 10 }, { frame: 20 }, { frame: 30, value: 7 }] });
  // One that is there already makes way.
  expect(withKeyframeMoved(value, 30, 10)).toMatchObject({ keyframes: [{ frame: 10, value: 7 }, { frame: 20 }] });
  expect(withKeyframeMoved(value, 11, 12)).toBe(value);
  value = [10, 20, 30].reduce<Animated>(withoutKeyframe, value);
  expect(value).toBe(7);
});

test("every number of a layer is a property that can be given another value, and nothing else changes", () => {
  const value = applyEdit(three, {
    kind: "effectAdded",
    layer: "flock",
    effect: newEffect("glow", layerOf(three, "flock")),
  });
  const properties = propertiesOf(layerOf(value, "flock"));
  expect(new Set(properties.map(({ place }) => propertyId(place))).size).toBe(properties.length);
  for (const { place, min, per } of properties) {
    const edited = applyEdit(value, propertyEdit("flock", place, withKeyframe(min / per, 4, min / per)));
    const changed = propertiesOf(layerOf(parseDocument(edited), "flock")).filter(
      (one, index) => one.value !== properties[index]!.value,
    );
    expect(changed.map((one) => propertyId(one.place))).toEqual([propertyId(place)]);
  }
});
