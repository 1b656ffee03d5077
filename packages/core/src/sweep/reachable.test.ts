import fc from "fast-check";
import { document, effect, layer } from "../../../../testing/documents";
import { asIfBaked } from "../bake";
import { commitEdit, currentDocument, mainComposition, startHistory, undo, type Document } from "../composition";
import {
  Bakes,
  buildBakeGraph,
  buildGraph,
  EFFECT_MODES,
  frameKey,
  FULL_QUALITY,
  NO_BAKES,
  RENDERER_CLASSES,
  type EffectMode,
  type RendererClass,
} from "../graph";
import { FRACTIONS, Reachable } from "./reachable";

const start = startHistory(
  document([layer("sky", "gradient", {}, { effects: [effect("grade", { exposure: 1 })] }), layer("birds", "flock")]),
);
const BLUR = { enabled: true, shutter: 180, samples: 2 };
const exposure = (value: number) =>
  ({ kind: "effectParameter", layer: "sky", effect: "grade", name: "exposure", value }) as const;

/** All that can be reached, with what is not likely looked through by two others. */
function reachableAmong(...[wanted, states, bakes]: Parameters<Reachable["among"]>) {
  const { found, rest } = new Reachable().among(wanted, states, bakes);
  const halves = [0, 1].map((half) => rest.filter((_, at) => at % 2 === half));
  const others = halves.map((only) => new Reachable().among(wanted, states, bakes, only).found);
  return new Map([found, ...others].flatMap((one) => [...one]));
}
const foundAmong = (...asked: Parameters<typeof reachableAmong>) => new Set(reachableAmong(...asked).keys());

test("every frame of every state at every preview setting is reachable, and nothing else", () => {
  const history = commitEdit(start, exposure(2));
  const expected = new Set<string>();
  const add = (fraction: number, effects: EffectMode, renderer: RendererClass) => {
    for (const state of history.states)
      for (let frame = 0; frame < 24; frame++)
        expected.add(frameKey(state, frame, { ...FULL_QUALITY, fraction, effects, renderer }));
  };
  for (const fraction of FRACTIONS)
    for (const effects of EFFECT_MODES) for (const renderer of RENDERER_CLASSES) add(fraction, effects, renderer);
  expect(foundAmong([...expected, "gone"], history.states)).toEqual(expected);
  expect(foundAmong(expected, history.states)).toEqual(expected);
});

test("whatever is asked for, and however the states share their layers, the answer is what each frame's own key says", () => {
  const settings = { ...FULL_QUALITY, fraction: 1 / 2 };
  const edits = fc.array(
    fc.oneof(
      fc.double({ min: -2, max: 2, noNaN: true }).map(exposure),
      fc.constant({ kind: "variantAdded", name: "Dusk" } as const),
      fc.constant({ kind: "layerMotionBlur", layer: "birds", motionBlur: BLUR } as const),
      fc.nat(20).map((out) => ({ kind: "layerRange", layer: "birds", range: { in: 0, out: out + 1 } }) as const),
      fc.constantFrom("8-bit", "half").map((depth) => ({ kind: "depth", depth }) as const),
    ),
    { maxLength: 6 },
  );
  fc.assert(
    fc.property(edits, fc.array(fc.nat(23), { maxLength: 8 }), (steps, frames) => {
      const { states } = steps.reduce(commitEdit, start);
      const shown = new Set(states.flatMap((state) => frames.map((frame) => frameKey(state, frame, settings))));
      const found = reachableAmong(shown, states);
      expect(new Set(found.keys())).toEqual(shown);
      for (const [key, { frame, fraction }] of found)
        expect(states.map((state) => frameKey(state, frame, { ...settings, fraction }))).toContain(key);
      const gone = commitEdit(start, exposure(9)).states[1]!;
      const others = frames.map((frame) => frameKey(gone, frame, settings));
      expect(foundAmong([...shown, ...others], states)).toEqual(shown);
    }),
    { numRuns: 15 },
  );
});

test("what is remembered from one question to the next changes no answer, nested compositions and bakes included", () => {
  const titlesWith = (strength: number) => {
    const line = layer("line", "solid", {}, { effects: [effect("glow", { strength })], range: { in: 3, out: 20 } });
    return { ...mainComposition(document([line, layer("dots", "noise")])), id: "titles" };
  };
  const stateOf = (strength: number, exposure: number): Document => {
    const sky = layer("sky", "gradient", {}, { effects: [effect("grade", { exposure })] });
    const plain = document([sky, layer("titles", "composition", { composition: "titles" }, { motionBlur: BLUR })]);
    return { ...plain, compositions: { ...plain.compositions, titles: titlesWith(strength) } };
  };
  const [first, second, third] = [stateOf(60, 1), stateOf(80, 1), stateOf(80, 2)];
  const how = { fraction: 1, renderer: "cpu-1", depth: "8-bit" } as const;
  const keys = Array.from(
    { length: 24 },
    (_, frame) => buildBakeGraph(first, { composition: "titles" }, frame, how).liveKey,
  );
  const bake = asIfBaked(first, { composition: "titles" }, { ...how, packed: true }, "titles");
  const bakes = new Bakes([{ ...bake, locked: false, keys }]);
  const asked = [first, second, third].flatMap((state) =>
    [NO_BAKES, bakes].flatMap((played) =>
      [2, 3, 19].flatMap((frame) =>
        EFFECT_MODES.flatMap((effects) =>
          [true, false].map((motionBlur) => ({
            state,
            played,
            frame,
            settings: { ...FULL_QUALITY, effects, motionBlur },
          })),
        ),
      ),
    ),
  );
  const keyOf = ({ state, played, frame, settings }: (typeof asked)[number]) =>
    buildGraph(state, frame, settings, played).key;
  const wanted = new Set(asked.map(keyOf));
  const reachable = new Reachable();
  for (const states of [[first], [first, second], [second, third], [third, first]])
    for (const played of [NO_BAKES, bakes, NO_BAKES]) {
      // As they come from elsewhere: equal, but other objects.
      const sent = structuredClone(states);
      const expected = asked.filter((one) => states.includes(one.state) && [NO_BAKES, played].includes(one.played));
      const first = reachable.among(wanted, sent, played);
      const rest = reachable.among(wanted, sent, played, first.rest);
      const found = new Set([...first.found.keys(), ...rest.found.keys()]);
      expect(found).toEqual(new Set(expected.map(keyOf)));
    }
});

test("an undone state stays reachable until another edit takes its place", () => {
  const edited = commitEdit(start, exposure(2));
  const lost = frameKey(currentDocument(edited), 3, FULL_QUALITY);
  const undone = undo(edited);
  expect(reachableAmong([lost], undone.states).has(lost)).toBe(true);
  const replaced = commitEdit(undone, exposure(3));
  expect(reachableAmong([lost], replaced.states).has(lost)).toBe(false);
});

test("frames of every variant are reachable, whichever is open, and of layers with motion blur also without it", () => {
  const blurred = commitEdit(commitEdit(start, { kind: "variantAdded", name: "Dusk" }), {
    kind: "layerMotionBlur",
    layer: "birds",
    motionBlur: BLUR,
  });
  const dusk = currentDocument(commitEdit(blurred, exposure(2)));
  const original = currentDocument(commitEdit(blurred, { kind: "variantShown", variant: "main" }));
  const others = [
    frameKey(original, 5, FULL_QUALITY),
    frameKey(currentDocument(blurred), 5, { ...FULL_QUALITY, motionBlur: false }),
  ];
  const own = frameKey(dusk, 5, FULL_QUALITY);
  expect(foundAmong([...others, own], [original])).toEqual(new Set(others));
  expect(foundAmong([own], [original, dusk])).toEqual(new Set([own]));
});
