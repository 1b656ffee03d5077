import { document, effect, layer } from "../../../../testing/documents";
import { commitEdit, currentDocument, startHistory, undo } from "../composition";
import { EFFECT_MODES, frameKey, FULL_QUALITY, RENDERER_CLASSES, type EffectMode, type RendererClass } from "../graph";
import { FRACTIONS, reachableKeys } from "./reachable";

const start = startHistory(
  document([layer("sky", "gradient", {}, { effects: [effect("grade", { exposure: 1 })] }), layer("birds", "flock")]),
);
const exposure = (value: number) =>
  ({ kind: "effectParameter", layer: "sky", effect: "grade", name: "exposure", value }) as const;

test("every frame of every state at every preview setting is reachable, and nothing else", () => {
  const history = commitEdit(start, exposure(2));
  const keys = reachableKeys(history.states);
  const expected = new Set<string>();
  const add = (fraction: number, effects: EffectMode, renderer: RendererClass) => {
    for (const state of history.states)
      for (let frame = 0; frame < 24; frame++)
        expected.add(frameKey(state, frame, { ...FULL_QUALITY, fraction, effects, renderer }));
  };
  for (const fraction of FRACTIONS)
    for (const effects of EFFECT_MODES) for (const renderer of RENDERER_CLASSES) add(fraction, effects, renderer);
  expect(keys).toEqual(expected);
});

test("an undone state stays reachable until another edit takes its place", () => {
  const edited = commitEdit(start, exposure(2));
  const lost = frameKey(currentDocument(edited), 3, FULL_QUALITY);
  const undone = undo(edited);
  expect(reachableKeys(undone.states).has(lost)).toBe(true);
  const replaced = commitEdit(undone, exposure(3));
  expect(reachableKeys(replaced.states).has(lost)).toBe(false);
});

test("frames of every variant are reachable, whichever is open, and of layers with motion blur also without it", () => {
  const blurred = commitEdit(commitEdit(start, { kind: "variantAdded", name: "Dusk" }), {
    kind: "layerMotionBlur",
    layer: "birds",
    motionBlur: { enabled: true, shutter: 180, samples: 2 },
  });
  const dusk = currentDocument(commitEdit(blurred, exposure(2)));
  const original = currentDocument(commitEdit(blurred, { kind: "variantShown", variant: "main" }));
  const keys = reachableKeys([original]);
  expect(keys.has(frameKey(original, 5, FULL_QUALITY))).toBe(true);
  expect(keys.has(frameKey(currentDocument(blurred), 5, { ...FULL_QUALITY, motionBlur: false }))).toBe(true);
  expect(keys.has(frameKey(dusk, 5, FULL_QUALITY))).toBe(false);
  expect(reachableKeys([original, dusk]).has(frameKey(dusk, 5, FULL_QUALITY))).toBe(true);
});
