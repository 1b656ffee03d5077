import fc from "fast-check";
import { document, effect, layer } from "../../../../testing/documents";
import { mainComposition, type Document } from "./document";
import { applyEdit, type Edit } from "./edit";
import { parseDocument } from "./schema";
import { canRedo, canUndo, commitEdit, currentDocument, redo, startHistory, undo, type History } from "./history";

const base = document([layer("sky", "gradient", {}, { effects: [effect("grade")] }), layer("birds", "flock")]);

const edits: fc.Arbitrary<Edit> = fc.oneof(
  fc.boolean().map((enabled): Edit => ({ kind: "layerEnabled", layer: "birds", enabled })),
  fc.boolean().map((enabled): Edit => ({
    kind: "layerMotionBlur",
    layer: "sky",
    motionBlur: { enabled, shutter: 180, samples: 4 },
  })),
  fc.constantFrom("Dusk", "Overcast").map((name): Edit => ({ kind: "variantAdded", name })),
  fc
    .double({ min: 0, max: 1, noNaN: true })
    .map((opacity): Edit => ({ kind: "layerOpacity", layer: "birds", opacity })),
  fc
    .integer({ min: -8, max: 8 })
    .map((value): Edit => ({ kind: "effectParameter", layer: "sky", effect: "grade", name: "exposure", value })),
  fc.constantFrom("8-bit", "half", "float").map((depth) => ({ kind: "depth", depth }) as Edit),
);

test("an edit leaves the document before it alone, and shares what it does not touch", () => {
  const before = structuredClone(base);
  const after = applyEdit(base, { kind: "effectParameter", layer: "sky", effect: "grade", name: "exposure", value: 2 });
  expect(base).toEqual(before);
  expect(after.compositions.main!.layers[0]!.effects[0]!.parameters.exposure).toBe(2);
  expect(after.compositions.main!.layers[1]).toBe(base.compositions.main!.layers[1]);
});

test("an edit of what does not exist says so", () => {
  expect(() => applyEdit(base, { kind: "layerEnabled", layer: "sea", enabled: true })).toThrow(
    'Main has no layer "sea"',
  );
  expect(() => applyEdit(base, { kind: "effectEnabled", layer: "sky", effect: "glow", enabled: true })).toThrow(
    'sky has no effect "glow"',
  );
});

test("history behaves like two stacks of documents, whatever is done", () => {
  const action = fc.oneof(edits, fc.constant("undo" as const), fc.constant("redo" as const));
  fc.assert(
    fc.property(fc.array(action, { maxLength: 40 }), (actions) => {
      let history: History = startHistory(base);
      const past: Document[] = [];
      let present = base;
      let future: Document[] = [];
      for (const step of actions) {
        if (step === "undo") {
          history = undo(history);
          if (past.length > 0) {
            future.unshift(present);
            present = past.pop()!;
          }
        } else if (step === "redo") {
          history = redo(history);
          if (future.length > 0) {
            past.push(present);
            present = future.shift()!;
          }
        } else {
          history = commitEdit(history, step);
          past.push(present);
          present = applyEdit(present, step);
          future = [];
        }
        expect(currentDocument(history)).toEqual(present);
        expect([canUndo(history), canRedo(history)]).toEqual([past.length > 0, future.length > 0]);
      }
    }),
  );
});

test("a long history forgets its oldest states, never the present", () => {
  let history = startHistory(base);
  for (let n = 0; n < 500; n++)
    history = commitEdit(history, { kind: "layerOpacity", layer: "birds", opacity: n / 1000 });
  expect(history.states).toHaveLength(200);
  expect(currentDocument(history).compositions.main!.layers[1]!.opacity).toBe(0.499);
});

test("a layer is put elsewhere and made larger, and what is not named stays", () => {
  const before = mainComposition(base).layers[1]!.transform;
  const edited = applyEdit(base, { kind: "layerTransform", layer: "birds", change: { x: 40, scale: 0.5 } });
  expect(mainComposition(edited).layers[1]!.transform).toEqual({ ...before, x: 40, scale: 0.5 });
  expect(parseDocument(edited)).toEqual(edited);
});

describe("variants", () => {
  const dusk = applyEdit(base, { kind: "variantAdded", name: "Dusk" });

  test("a new one is a copy that is open; editing it leaves the first one alone", () => {
    expect(dusk.variants.map(({ name }) => name)).toEqual(["Original", "Dusk"]);
    const edited = applyEdit(dusk, { kind: "layerOpacity", layer: "birds", opacity: 0.5 });
    const back = applyEdit(edited, { kind: "variantShown", variant: "main" });
    expect(mainComposition(edited).layers[1]!.opacity).toBe(0.5);
    expect(mainComposition(back).layers[1]!.opacity).toBe(1);
    expect(parseDocument(edited)).toEqual(edited);
  });

  test("removing one opens another and takes its composition along, unless something shows it", () => {
    const removed = applyEdit(dusk, { kind: "variantRemoved", variant: dusk.main });
    expect(removed.main).toBe("main");
    expect(Object.keys(removed.compositions)).toEqual(["main"]);
    expect(() => applyEdit(removed, { kind: "variantRemoved", variant: "main" })).toThrow("The only variant");
    const nesting = layer("inside", "composition", { composition: dusk.main });
    const shown = applyEdit(applyEdit(dusk, { kind: "variantShown", variant: "main" }), {
      kind: "layerAdded",
      layer: nesting,
      assets: {},
    });
    const kept = applyEdit(shown, { kind: "variantRemoved", variant: dusk.main });
    expect(Object.keys(kept.compositions)).toEqual(["main", dusk.main]);
    expect(parseDocument(kept)).toEqual(kept);
  });

  test("an unknown variant is named", () => {
    for (const kind of ["variantShown", "variantRemoved"] as const)
      expect(() => applyEdit(base, { kind, variant: "noon" })).toThrow('There is no variant "noon"');
    expect(() => applyEdit(base, { kind: "variantRenamed", variant: "noon", name: "Noon" })).toThrow("noon");
  });
});
