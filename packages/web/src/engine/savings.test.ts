import { buildGraph, costSample, CostModel, FRACTIONS, FULL_QUALITY, inOrder, NO_BAKES } from "@kinetocache/core";
import { document, effect, layer } from "../../../../testing/documents";
import { SavingsDesk, workOutSavings, type Savings } from "./savings";

const x = { keyframes: [0, 24].map((frame) => ({ frame, value: frame * 2, ease: "linear" as const })) };
const opened = document([
  layer("sky", "noise", { evolution: 1 }, { effects: [effect("gaussianBlur")] }),
  layer(
    "square",
    "solid",
    {},
    {
      transform: { x, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 },
      motionBlur: { enabled: true, shutter: 180, samples: 4 },
    },
  ),
]);
const range = { in: 0, out: 24 };

function model(): CostModel {
  const made = new CostModel();
  for (const node of inOrder(buildGraph(opened, 5, FULL_QUALITY).root)) {
    const sample = costSample(node, 0);
    made.add({ ...sample, ms: sample.units / 1000 });
  }
  return made;
}

function run(settings = FULL_QUALITY): Savings {
  const steps = workOutSavings(opened, settings, NO_BAKES, range, model());
  for (;;) {
    const next = steps.next();
    if (next.done) return next.value;
  }
}

test("each trade-off says what an average frame takes with it: less and less with size and effects", () => {
  const savings = run();
  expect(savings.bySize).toHaveLength(FRACTIONS.length);
  expect(savings.bySize[0]).toBeCloseTo(savings.presentMs);
  for (let index = 1; index < FRACTIONS.length; index++)
    expect(savings.bySize[index]).toBeLessThan(savings.bySize[index - 1]!);
  expect(savings.byEffects.All).toBeGreaterThan(savings.byEffects.None);
  expect(savings.withMotionBlur).toBeGreaterThan(savings.withoutMotionBlur);
});

test("a layer alone, and a layer without its effects, take less than all; one without effects saves nothing by that", () => {
  const { presentMs, layers } = run();
  const [sky, square] = layers;
  expect(sky!.effectsOffMs).toBeLessThan(presentMs);
  expect(square!.effectsOffMs).toBeCloseTo(presentMs);
  for (const { soloMs } of layers) expect(soloMs).toBeLessThan(presentMs);
});

test("they are worked out only while somebody wants to know, and again after something has changed", () => {
  const told: Savings[] = [];
  const desk = new SavingsDesk(
    ({ savings }) => told.push(savings),
    () => workOutSavings(opened, FULL_QUALITY, NO_BAKES, range, model()),
  );
  expect(desk.isDue(false)).toBe(false);
  desk.want(true);
  desk.want(true);
  expect(desk.isDue(true)).toBe(false);
  for (let step = 0; desk.isDue(false) && step < 1000; step++) desk.step(Infinity);
  expect(told).toHaveLength(1);
  expect(desk.isDue(false)).toBe(false);
  desk.want(false);
  desk.note();
  // One of the two still wants to know.
  expect(desk.isDue(false)).toBe(true);
  desk.want(false);
  expect(desk.isDue(false)).toBe(false);
});
