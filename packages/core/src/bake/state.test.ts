import { document, effect, layer } from "../../../../testing/documents";
import { applyEdit, type Document } from "../composition";
import { buildBakeGraph, type Bake } from "../graph";
import { bakeChoices, bakeState } from "./state";

const value = document([layer("sky", "noise"), layer("birds", "flock", {}, { effects: [effect("glow")] })]);
const target = { composition: "main", layer: "birds" };
const how = { fraction: 1, renderer: "cpu-1", depth: "half" } as const;
const bake: Bake = {
  id: "bake",
  target,
  range: { in: 4, out: 10 },
  ...how,
  packed: true,
  location: "main",
  sequence: "stored",
  keys: [4, 5, 6, 7, 8, 9].map((frame) => buildBakeGraph(value, target, frame, how).liveKey),
  complete: true,
  enabled: true,
  locked: false,
};
const strength = (of: Document, amount: number) =>
  applyEdit(of, { kind: "effectParameter", layer: "birds", effect: "glow", name: "strength", value: amount });

test("a bake is up to date until what it shows is edited, and again when that is undone", () => {
  expect(bakeState(value, bake)).toEqual({ kind: "in use", frames: 6, outdated: 0, unreadable: 0 });
  expect(bakeState(strength(value, 90), bake)).toMatchObject({ outdated: 6 });
  expect(bakeState(strength(strength(value, 90), 60), bake)).toMatchObject({ outdated: 0 });
  const other = applyEdit(value, { kind: "sourceParameter", layer: "sky", name: "detail", value: 2 });
  expect(bakeState(other, bake)).toMatchObject({ outdated: 0 });
});

test("only the frames that changed are out of date; what cannot be read is counted apart", () => {
  const keyframes = [0, 5, 6].map((frame) => ({ frame, value: frame > 5 ? 90 : 60, ease: "hold" as const }));
  const late = applyEdit(value, {
    kind: "effectParameter",
    layer: "birds",
    effect: "glow",
    name: "strength",
    value: { keyframes },
  });
  const state = bakeState(late, bake, new Set(["stored/0", "stored/5", "other/1"]));
  expect(state).toEqual({ kind: "in use", frames: 6, outdated: 4, unreadable: 2 });
});

test("a part, one that is off and one whose layer is gone say so", () => {
  expect(bakeState(value, { ...bake, complete: false })).toEqual({ kind: "part" });
  expect(bakeState(value, { ...bake, enabled: false })).toEqual({ kind: "off" });
  expect(bakeState(document([]), bake)).toEqual({ kind: "without target" });
});

test("what is blended layer by layer is no picture: it cannot be baked, and a bake of it is not played", () => {
  const nested = applyEdit(value, { kind: "layersNested", layers: ["birds"], name: "Dusk" });
  expect(bakeChoices(nested).map(({ kind }) => kind)).not.toContain("nested composition");
  expect(bakeChoices(nested).filter(({ target }) => target.layer === "dusk")).toEqual([]);
  const baked = { ...bake, target: { composition: "main", layer: "dusk" } };
  expect(bakeState(nested, baked)).toEqual({ kind: "layer by layer" });
  const whole = applyEdit(nested, {
    kind: "sourceParameter",
    layer: "dusk",
    name: "blending",
    value: "As one picture",
  });
  expect(bakeState(whole, baked)).toMatchObject({ kind: "in use" });
});

test("layers, nested compositions and the whole can be baked", () => {
  const inner = { ...value.compositions.main!, id: "inner", name: "Inner" };
  const outer = document([layer("nest", "composition", { composition: "inner" }), layer("sky", "solid")]);
  const choices = bakeChoices({ ...outer, compositions: { ...outer.compositions, inner } });
  expect(choices.map(({ kind, name }) => `${kind} ${name}`)).toEqual([
    "layer sky",
    "layer nest",
    "nested composition Inner",
    "whole Main",
  ]);
});
